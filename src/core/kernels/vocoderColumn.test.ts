import { describe, expect, it } from 'vitest'
import { createRandom, gaussian } from '../dsp/random'
import { apartDb } from '../testing/apart'
import { type VocoderColumns, vocoderKernel, vocoderTwin } from './vocoderColumn'

const RATE = 48_000
const tones = (seed: number, frames: number) => {
  const random = createRandom(seed)
  const partials = Array.from({ length: 9 }, () => [80 + 6000 * random(), random(), 0.1 * random()] as const)
  return Float32Array.from({ length: frames }, (_, i) =>
    partials.reduce((sum, [hz, phase, level]) => sum + level * Math.sin(2 * Math.PI * ((hz * i) / RATE + phase)), 0),
  )
}
const noise = (seed: number, frames: number, level = 0.2) => {
  const random = createRandom(seed)
  return Float32Array.from({ length: frames }, () => level * gaussian(random))
}

/** Lay `count` columns, each `hop` on in the output and `step` in the source. */
function run(
  make: VocoderColumns,
  channelCount: number,
  length: number,
  hop: number,
  step: number,
  count: number,
  start = 0,
  follows = true,
) {
  const out = Array.from({ length: channelCount }, () => new Float32Array(count * hop + length))
  for (let k = 0; k < count; k++) {
    const centre = start + Math.round(k * step)
    make.analyse(centre, follows && k > 0 ? start + Math.round((k - 1) * step) : undefined)
    if (k === 0) make.begin()
    else make.lock()
    const sum = out.map((channel) => channel.slice(k * hop, k * hop + length + hop))
    make.lay(sum, 1 / 1.5)
    sum.forEach((part, c) => {
      out[c]?.set(part.subarray(0, Math.min(part.length, (out[c] as Float32Array).length - k * hop)), k * hop)
    })
  }
  return out
}

describe('the vocoder kernel', () => {
  it.each([1, 2, 3])('agrees with its twin to −100 dB on tones, with %d channels', (count) => {
    const channels = Array.from({ length: count }, (_, c) => tones(c + 1, 24_000))
    for (const [length, step] of [
      [512, 160],
      [4096, 800],
    ] as const) {
      const hop = length / 4
      const [kernel, twin] = [
        vocoderKernel(channels, length, hop) as VocoderColumns,
        vocoderTwin(channels, length, hop),
      ]
      // inside the sound: at its cut edge the spectrum is all slopes, where one bit may make a peak
      const columns = Math.floor(18_000 / step)
      const results = [kernel, twin].map((make) => run(make, count, length, hop, step, columns, 3000))
      expect(apartDb(results[0] as Float32Array[], results[1] as Float32Array[])).toBeLessThan(-100)
    }
  })

  it('agrees with its twin on a first column and on the next of noise, silence and full scale', () => {
    for (const signal of [
      noise(1, 9000),
      noise(2, 9000, 1e-10),
      new Float32Array(9000),
      new Float32Array(9000).fill(1),
      Float32Array.from({ length: 9000 }, (_, i) => (i % 200 < 100 ? 1 : -1)),
    ]) {
      const channels = [signal, signal.slice().reverse()]
      const results = [vocoderKernel, vocoderTwin].map((make) =>
        run(make(channels, 1024, 256) as VocoderColumns, 2, 1024, 256, 300, 2),
      ) as [Float32Array[], Float32Array[]]
      expect(apartDb(...results)).toBeLessThan(-95)
      for (const channel of results[0]) expect(channel.every(Number.isFinite)).toBe(true)
    }
  })

  it('gives back what it was given where nothing is stretched', () => {
    const channels = [noise(3, 30_000), tones(4, 30_000)]
    const hop = 512
    const out = run(vocoderKernel(channels, 2048, hop) as VocoderColumns, 2, 2048, hop, hop, 40)
    // column 0 has its middle on frame 0
    const part = (of: readonly Float32Array[], from: number) =>
      of.map((channel) => channel.subarray(from, from + 12_000))
    expect(apartDb(part(out, 4000 + 1024), part(channels, 4000))).toBeLessThan(-105)
  })

  it.each([
    ['kernel', vocoderKernel],
    ['twin', vocoderTwin],
  ] as const)('has a glide at the pitch that it has there, by the %s', (_, make) => {
    // 2 kHz per second, four times as long
    const [slope, stretch, length] = [2000, 4, 2048]
    const turnsAt = (seconds: number, rate: number) => (800 + (rate / 2) * seconds) * seconds
    const source = [
      Float32Array.from({ length: 24_000 }, (_, i) => 0.3 * Math.cos(2 * Math.PI * turnsAt(i / RATE, slope))),
    ]
    const hop = length / 4
    /** by how much it is off in all, between the first and the last time that it rises through zero */
    const cents = (follows: boolean) => {
      const columns = make(source, length, hop) as VocoderColumns
      const [out] = run(columns, 1, length, hop, hop / stretch, 120, 0, follows) as [Float32Array]
      const risen: number[] = []
      for (let i = 20_000; i < 44_000; i++) {
        const [below, above] = [out[i] as number, out[i + 1] as number]
        if (below < 0 && above >= 0) risen.push(i + below / (below - above))
      }
      // column 0 has its middle on frame 0
      const [first, last] = [risen[0], risen.at(-1)].map((frame) =>
        turnsAt(((frame as number) - length / 2) / RATE, slope / stretch),
      ) as [number, number]
      return 1200 * Math.log2((risen.length - 1) / (last - first))
    }
    expect(Math.abs(cents(true))).toBeLessThan(2)
    // by what turned in the hop before it lags behind
    expect(cents(false)).toBeLessThan(-8)
  })

  it('holds down what rises over what was there, and nothing else', () => {
    const quiet = noise(5, 12_000, 0.01)
    const channels = [quiet.map((value, i) => (i < 6000 ? value : 30 * value))]
    const results = [vocoderKernel, vocoderTwin].map((make) => {
      const columns = make(channels, 1024, 256) as VocoderColumns
      columns.learnBefore(4000)
      columns.analyse(6200)
      columns.holdDown(2)
      columns.begin()
      const sum = [new Float32Array(1280)]
      columns.lay(sum, 1)
      return sum
    }) as [Float32Array[], Float32Array[]]
    expect(apartDb(...results)).toBeLessThan(-100)
    const level = Math.sqrt((results[0][0] as Float32Array).reduce((sum, value) => sum + value * value, 0) / 1024)
    expect(level).toBeLessThan(0.01)
    expect(level).toBeGreaterThan(0.002)
  })

  it('keeps its own state while another one works', () => {
    const a = [tones(6, 20_000)]
    const b = [noise(7, 20_000)]
    const alone = run(vocoderKernel(a, 1024, 256) as VocoderColumns, 1, 1024, 256, 400, 30)
    const own = vocoderKernel(a, 1024, 256) as VocoderColumns
    const other = vocoderKernel(b, 2048, 512) as VocoderColumns
    const disturbed: VocoderColumns = {
      ...own,
      lay(sum, scale) {
        own.lay(sum, scale)
        other.analyse(5000)
        other.begin()
        other.lay([new Float32Array(4096)], 1)
      },
    }
    expect(run(disturbed, 1, 1024, 256, 400, 30)).toEqual(alone)
  })
})
