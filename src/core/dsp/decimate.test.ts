import { describe, expect, it } from 'vitest'
import { sine } from '../testing/signals'
import { decimate } from './decimate'

const rms = (x: Float32Array) => Math.sqrt(x.slice(200, -200).reduce((sum, v) => sum + v * v, 0) / (x.length - 400))
const tone = (hz: number) => sine({ hz, seconds: 0.5 }).channels[0] as Float32Array

describe('decimate', () => {
  it('keeps what the fewer frames can carry, and lets through next to nothing of the rest', () => {
    for (const factor of [2, 3, 4, 8]) {
      const nyquist = 24_000 / factor
      const low = decimate(tone(0.3 * nyquist), factor)
      expect(low).toHaveLength(Math.ceil(24_000 / factor))
      expect(rms(low)).toBeCloseTo(0.5 / Math.SQRT2, 2)
      expect(rms(decimate(tone(1.7 * nyquist), factor))).toBeLessThan(0.002)
    }
  })

  it('returns the very samples for factor 1, and refuses what is no whole number', () => {
    const samples = tone(100)
    expect(decimate(samples, 1)).toBe(samples)
    for (const factor of [0, 1.5, 9]) expect(() => decimate(samples, factor)).toThrow(RangeError)
  })
})
