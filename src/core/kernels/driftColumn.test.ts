import { describe, expect, it } from 'vitest'
import { createRandom, gaussian } from '../dsp/random'
import { apartDb } from '../testing/apart'
import { type DriftColumns, driftKernel, driftTwin } from './driftColumn'

const RATE = 48_000
const noise = (seed: number, frames: number, level = 0.2) => {
  const random = createRandom(seed)
  return Float32Array.from({ length: frames }, () => level * gaussian(random))
}
/** Steady partials over noise, so that some bins are clear and most are not. */
const partials = (seed: number, frames: number, level = 1) => {
  const random = createRandom(seed)
  const tones = Array.from({ length: 7 }, () => [80 + 9000 * random(), random(), 0.1 * random()] as const)
  return noise(seed, frames, 0.001 * level).map((value, i) =>
    tones.reduce(
      (sum, [hz, phase, own]) => sum + level * own * Math.sin(2 * Math.PI * ((hz * i) / RATE + phase)),
      value,
    ),
  )
}

interface Looked {
  readonly any: boolean
  readonly marks: number[]
  readonly out: Float32Array[]
}

/** Look at one column, mark, and lay its haze. */
function look(
  columns: DriftColumns,
  channels: number,
  length: number,
  centre: number,
  clear: boolean,
  fresh = 1,
): Looked {
  columns.analyse(centre)
  const any = clear && columns.markClear(Math.log2(30))
  const out = Array.from({ length: channels }, () => new Float32Array(length + length / 4))
  columns.layHaze(out, 5, centre, fresh, 0.8)
  return { any, marks: Array.from(columns.isClear), out }
}

function both(channels: readonly Float32Array[], length: number) {
  const kernel = driftKernel(channels, length, length / 4)
  if (!kernel) throw new Error('there are no kernels here')
  return [kernel, driftTwin(channels, length, length / 4)] as const
}

/** How far two hazes are apart, in dB under all that is in the column: what is clear takes nearly all of it out. */
function apartUnder(whole: Looked, a: Looked, b: Looked): number {
  const difference = a.out.map((channel, c) => channel.map((value, i) => value - (b.out[c]?.[i] as number)))
  const against = whole.out.map((channel, c) => channel.map((value, i) => value + (difference[c]?.[i] as number)))
  return apartDb(against, whole.out)
}

describe('the drift kernel', () => {
  it.each([
    [1, 256],
    [2, 4096],
    [3, 1024],
    [2, 32_768],
  ])('agrees with its twin to −100 dB, with %d channels and windows of %d', (count, length) => {
    const channels = Array.from({ length: count }, (_, c) => partials(c + 1, 3 * length))
    const makers = both(channels, length)
    // inside, over either end, and beyond
    for (const centre of [length, 1.5 * length + 3, 10, 3 * length - 5, 9 * length]) {
      for (const fresh of [1, 0.4, 0]) {
        const [kernel, twin] = makers.map((columns) => look(columns, count, length, centre, true, fresh)) as [
          Looked,
          Looked,
        ]
        expect(kernel.marks).toEqual(twin.marks)
        expect(kernel.any).toBe(twin.any)
        const whole = look(makers[1], count, length, centre, false, fresh)
        expect(apartUnder(whole, kernel, twin)).toBeLessThan(-100)
      }
    }
  })

  it('agrees with its twin on silence, full scale, faint input and input that is no number', () => {
    const length = 1024
    // where a bin holds nothing but rounding, fresh noise takes even that for a phase: there it is left out
    for (const [signal, fresh] of [
      [new Float32Array(5000), 1],
      [new Float32Array(5000).fill(1), 0],
      [Float32Array.from({ length: 5000 }, (_, i) => (i % 200 < 100 ? 1 : -1)), 0],
      [noise(1, 5000, 1e-9), 1],
      [noise(2, 5000, 1e-38), 1],
      [noise(3, 5000).fill(Number.NaN, 2000, 2100), 1],
    ] as const) {
      const makers = both([signal, signal.slice().reverse()], length)
      const [kernel, twin] = makers.map((columns) => look(columns, 2, length, 2200, true, fresh)) as [Looked, Looked]
      for (const channel of kernel.out) expect(channel.every(Number.isFinite)).toBe(true)
      if (signal.some(Number.isNaN)) continue
      expect(apartUnder(look(makers[1], 2, length, 2200, false, fresh), kernel, twin)).toBeLessThan(-110)
    }
  })

  it('marks the lobes of steady partials, and nothing in noise that comes and goes', () => {
    const length = 4096
    const hz = [40, 171, 602, 1203].map((bin) => (bin * RATE) / length)
    const steady = noise(4, 20_000, 1e-4).map((value, i) =>
      hz.reduce((sum, f) => sum + 0.1 * Math.sin((2 * Math.PI * f * i) / RATE), value),
    )
    const [columns] = both([steady], length)
    const { any, marks } = look(columns, 1, length, 8000, true)
    expect(any).toBe(true)
    const marked = marks.flatMap((mark, k) => (mark === 1 ? [k] : []))
    expect(marked).toEqual([40, 171, 602, 1203].flatMap((bin) => [-3, -2, -1, 0, 1, 2, 3].map((by) => bin + by)))
    // of what was asked for before nothing is left
    expect(look(columns, 1, length, 8000, false).marks.includes(1)).toBe(false)
  })

  it('turns all channels alike: what is the same in both stays the same, what is silent in one stays silent', () => {
    const length = 2048
    const one = partials(6, 9000)
    const [columns] = both([one, one.slice()], length)
    const { out } = look(columns, 2, length, 4000, true)
    expect(out[1]).toEqual(out[0])
    const [half] = both([one, new Float32Array(9000)], length)
    const leaning = look(half, 2, length, 4000, true)
    expect(apartDb([leaning.out[0] as Float32Array], [out[0] as Float32Array])).toBeLessThan(-100)
    expect(Math.max(...(leaning.out[1] as Float32Array).map(Math.abs))).toBeLessThan(1e-6)
  })

  it('gives fresh noise the level that the noise has', () => {
    const length = 8192
    const [columns] = both([noise(7, 200_000, 0.2)], length)
    let power = 0
    for (let n = 0; n < 12; n++) {
      const { out } = look(columns, 1, length, 8192 + n * 12_000, false)
      power += (out[0] as Float32Array).reduce((sum, value) => sum + value * value, 0) / 12
    }
    // Hann takes 3/8 of the power, the sine window half of what is left; 0.8 is the scale asked for
    const wanted = 0.2 ** 2 * length * (3 / 8) * (1 / 2) * 0.8 ** 2
    expect(10 * Math.log10(power / wanted)).toBeCloseTo(0, 0)
  })

  it('leaves what it cannot hold to the twin', () => {
    const channels = [noise(8, 1000)]
    expect(driftKernel(channels, 1 << 16, 1 << 14)).toBeUndefined()
    expect(
      driftKernel(
        Array.from({ length: 5 }, () => channels[0] as Float32Array),
        1024,
        256,
      ),
    ).toBeUndefined()
  })
})
