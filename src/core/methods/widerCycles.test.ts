import { expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { lackOfFirst, layFirst, powerKept } from './widerCycles'

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

it('lacks of a first partial what its window does not let through', () => {
  for (const overlap of [0.97, 0.75, 0.5, 0.3, 0.125])
    expect(lackOfFirst(overlap)).toBeCloseTo(1 - windowAt(1 - overlap), 4)
  expect(lackOfFirst(1)).toBe(0)
})

it('lays a first partial that is steady, as loud as it is in the source and in its turn', () => {
  for (const [phase, spacing] of [
    [0, 800],
    [1.2, 530],
    [-2.5, 1210],
  ] as const) {
    const sum = [new Float32Array(12_000)]
    const source = sine(phase)
    for (let output = 300; output < 14_000; output += spacing)
      layFirst(sum, 0, source, { source: MARK, period: PERIOD, output, spacing, firstLevel: 0.8 })
    for (let n = 3000; n < 9000; n += 7) {
      const wanted = 0.8 * 0.5 * Math.cos(2 * Math.PI * ((n - 300) / spacing) + phase)
      expect(sum[0]?.[n]).toBeCloseTo(wanted, 2)
    }
  }
})

it('lays the same, whichever frame the sum begins at', () => {
  const at = { source: MARK, period: PERIOD, output: 2000, spacing: 700, firstLevel: 1 }
  const [whole, late] = [[new Float32Array(4000)], [new Float32Array(4000)]]
  layFirst(whole, 0, sine(0.3), at)
  layFirst(late, 1500, sine(0.3), at)
  expect(late[0]?.subarray(0, 2500)).toEqual(whole[0]?.subarray(1500))
})

it('raises what is spread over its cycle, and neither a pulse nor what lies as it did', () => {
  const pulses = made((n) => ((n - MARK) % PERIOD === 0 ? 1 : 0))
  const spread = sine(0)
  for (const source of [pulses, spread])
    expect(powerKept(source, { mark: MARK, period: PERIOD, wanted: PERIOD })).toBeCloseTo(1, 2)
  expect(powerKept(pulses, { mark: MARK, period: PERIOD, wanted: 2 * PERIOD })).toBeCloseTo(1, 2)
  // half of 1.25 dB: under the window three quarters of its power are left
  expect(powerKept(spread, { mark: MARK, period: PERIOD, wanted: 2 * PERIOD })).toBeCloseTo(0.75 ** -0.25, 2)
  expect(
    powerKept(
      made(() => 0),
      { mark: MARK, period: PERIOD, wanted: 2 * PERIOD },
    ),
  ).toBe(1)
})
