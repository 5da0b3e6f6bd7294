import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { goneOn } from './goneOn'
import { createLayers } from './layers'

const RATE = 48_000
const tone = (hz: number, frames: number, at = 0.3) =>
  Float32Array.from({ length: frames }, (_, i) => at * Math.sin((2 * Math.PI * hz * i) / RATE))

describe('a sound that breaks off', () => {
  it('goes on as it was, wherever in its turn it is cut', () => {
    for (const [hz, frames] of [
      [55, 48_000],
      [55.3, 47_777],
      [219.7, 50_001],
      [1000, 30_000],
    ] as const) {
      const whole = tone(hz, frames + 9000)
      const [out] = goneOn([whole.subarray(0, frames)], 9000, RATE) as [Float32Array]
      expect(out.subarray(0, frames)).toEqual(whole.subarray(0, frames))
      const off = out
        .subarray(frames, frames + 4000)
        .reduce((sum, x, i) => sum + (x - (whole[frames + i] as number)) ** 2, 0)
      const all = whole.subarray(frames, frames + 4000).reduce((sum, x) => sum + x * x, 0)
      expect([hz, off < 0.02 * all]).toEqual([hz, true])
    }
  })
  it('stays as it is where it died away, is faded out, or is too short to tell', () => {
    const died = [tone(100, 40_000).map((x, i) => (i < 30_000 ? x : 0))]
    expect(goneOn(died, 9000, RATE)).toBe(died)
    const faded = [tone(100, 40_000).map((x, i) => x * Math.min(1, (40_000 - i) / 800))]
    expect(goneOn(faded, 9000, RATE)).toBe(faded)
    const short = [tone(100, 4000)]
    expect(goneOn(short, 9000, RATE)).toBe(short)
  })
  it('keeps its tones in their layer up to its end', () => {
    const random = createRandom(3)
    const own = tone(55, 60_000).map((x) => x + 1e-4 * (random() - 0.5))
    const { sines, noise, ensure } = createLayers({ sampleRate: RATE, channels: [own] }, [])
    ensure(0, own.length)
    const energy = (of: { channels: readonly Float32Array[] }) =>
      (of.channels[0] as Float32Array).subarray(-1200).reduce((sum, x) => sum + x * x, 0)
    expect(energy(noise)).toBeLessThan(0.003 * energy(sines))
  })
})
