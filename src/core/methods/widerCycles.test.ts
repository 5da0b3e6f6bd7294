import { expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { layLack, widerCycle } from './widerCycles'

const RATE = 48_000
const PERIOD = 400
const MARK = 6000

const made = (valueAt: (n: number) => number): AudioBlock => ({
  sampleRate: RATE,
  channels: [Float32Array.from({ length: 12_000 }, (_, n) => valueAt(n))],
})
const sine = (phase: number) => made((n) => 0.5 * Math.cos(2 * Math.PI * ((n - MARK) / PERIOD) + phase))

/** What a Hann window two periods long leaves at a frequency of a partial at another, both in periods. */
function windowAt(apart: number): number {
  let sum = 0
  for (let n = -PERIOD; n <= PERIOD; n++) {
    sum += (0.5 + 0.5 * Math.cos((Math.PI * n) / PERIOD)) * Math.cos((2 * Math.PI * apart * n) / PERIOD)
  }
  return sum / PERIOD
}

const lookedAt = (source: AudioBlock, overlap: number) => {
  const cycle = widerCycle(source, MARK, PERIOD, overlap)
  if (!cycle) throw new Error('it lies as it did')
  return cycle
}

it('is nothing where cycles lie as they did, or closer', () => {
  for (const overlap of [0.99, 1, 1.5]) expect(widerCycle(sine(0), MARK, PERIOD, overlap)).toBeUndefined()
})

it('lacks of its first partial what its window does not let through', () => {
  for (const overlap of [0.97, 0.75, 0.5, 0.3, 0.125])
    expect(lookedAt(sine(0), overlap).lack).toBeCloseTo(1 - windowAt(1 - overlap), 4)
})

it('lays a first partial that is steady, as loud as it is in the source and in its turn', () => {
  for (const [phase, spacing] of [
    [0, 800],
    [1.2, 530],
    [-2.5, 1210],
  ] as const) {
    const sum = [new Float32Array(12_000)]
    const cycle = { ...lookedAt(sine(phase), PERIOD / spacing), lack: 0.8 }
    for (let output = 300; output < 14_000; output += spacing) layLack(cycle, sum, 0, { output, spacing, level: 1 })
    for (let n = 3000; n < 9000; n += 7) {
      const wanted = 0.8 * 0.5 * Math.cos(2 * Math.PI * ((n - 300) / spacing) + phase)
      expect(sum[0]?.[n]).toBeCloseTo(wanted, 2)
    }
  }
})

it('lays the same, whichever frame the sum begins at', () => {
  const [whole, late] = [[new Float32Array(4000)], [new Float32Array(4000)]]
  const at = { output: 2000, spacing: 700, level: 1 }
  layLack(lookedAt(sine(0.3), 0.5), whole, 0, at)
  layLack(lookedAt(sine(0.3), 0.5), late, 1500, at)
  expect(late[0]?.subarray(0, 2500)).toEqual(whole[0]?.subarray(1500))
})

it('is raised where it is spread over its period, and not where it is a pulse or silent', () => {
  expect(
    lookedAt(
      made((n) => ((n - MARK) % PERIOD === 0 ? 1 : 0)),
      0.5,
    ).gain,
  ).toBeCloseTo(1, 2)
  expect(
    lookedAt(
      made(() => 0),
      0.5,
    ).gain,
  ).toBe(1)
  // half of 1.25 dB: under the window three quarters of its power are left
  expect(lookedAt(sine(0), 0.5).gain).toBeCloseTo(0.75 ** -0.25, 2)
})
