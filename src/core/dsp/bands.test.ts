import { describe, expect, it } from 'vitest'
import { noise, sine } from '../testing/signals'
import { rms } from '../testing/tone'
import { splitBands } from './bands'

const RATE = 48_000
const EDGES = [300, 1200, 4800]
const first = (audio: { channels: readonly Float32Array[] }) => audio.channels[0] as Float32Array

describe('splitBands', () => {
  it('sums to what was split, wherever it begins and ends', () => {
    const whole = first(noise({ seconds: 0.3, seed: 5 }))
    for (const part of [whole, whole.subarray(0, 7), whole.subarray(0, 1), whole.subarray(0, 0)]) {
      const bands = splitBands(part, RATE, EDGES)
      expect(bands).toHaveLength(4)
      for (let i = 0; i < part.length; i++) {
        const sum = bands.reduce((total, band) => total + (band[i] as number), 0)
        expect(Math.abs(sum - (part[i] as number))).toBeLessThan(1e-6)
      }
    }
  })

  it.each([
    [60, 0],
    [600, 1],
    [2400, 2],
    [12_000, 3],
  ])('a tone of %d Hz lies for the most part in band %d, and nowhere out of step', (hz, home) => {
    const tone = first(sine({ hz, seconds: 0.5 }))
    const bands = splitBands(tone, RATE, EDGES)
    const levels = bands.map((band) => rms(band))
    expect(Math.max(...levels)).toBe(levels[home])
    expect((levels[home] as number) / rms(tone)).toBeGreaterThan(0.6)
    // what runs forward and back is not delayed: it goes with the tone, or against it
    const middle = (band: Float32Array) => band.subarray(0.1 * RATE, 0.4 * RATE)
    const own = middle(tone)
    const along = middle(bands[home] as Float32Array).reduce((sum, x, i) => sum + x * (own[i] as number), 0)
    const size = rms(middle(bands[home] as Float32Array)) * rms(own) * own.length
    expect(along / size).toBeGreaterThan(0.999)
  })
})
