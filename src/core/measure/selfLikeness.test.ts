import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { noise, sine } from '../testing/signals'
import { createSelfLikeness } from './selfLikeness'

/** Every `ms` the same piece again, as much louder than fresh noise as `share` says. */
function again(ms: number, share: number): AudioBlock {
  const fresh = noise({ seconds: 1, seed: 3 })
  const other = noise({ seconds: 1, seed: 4 })
  const length = Math.round((ms / 1000) * fresh.sampleRate)
  return {
    ...fresh,
    channels: fresh.channels.map((samples, c) =>
      samples.map(
        (_, i) =>
          Math.sqrt(share) * (samples[i % length] as number) +
          Math.sqrt(1 - share) * (other.channels[c]?.[i] as number),
      ),
    ),
  }
}

/** By its definition: products of the piece with every place behind it. */
function byProducts({ channels, sampleRate }: AudioBlock, frame: number): number {
  const x = channels[0] as Float32Array
  const piece = 1024
  let most = 0
  const energyFrom = (at: number) => x.subarray(at, at + piece).reduce((sum, v) => sum + v * v, 0)
  for (let lag = Math.round(0.006 * sampleRate); lag < Math.round(0.15 * sampleRate); lag++) {
    let product = 0
    for (let i = 0; i < piece; i++) product += (x[frame + i] as number) * (x[frame + lag + i] as number)
    if (product > 0) most = Math.max(most, product ** 2 / (energyFrom(frame) * energyFrom(frame + lag)))
  }
  return most
}

describe('how much is heard again', () => {
  it('is what products by hand say', () => {
    const sound = again(40, 0.5)
    const at = createSelfLikeness(sound)
    for (const frame of [1000, 7777, 20_000]) expect(at(frame)).toBeCloseTo(byProducts(sound, frame), 3)
  })
  it('is next to nothing in noise, all in a tone, and as much as there is in between', () => {
    const mean = (sound: AudioBlock) => {
      const at = createSelfLikeness(sound)
      const values = Array.from({ length: 20 }, (_, n) => at(1000 + 1500 * n) ?? Number.NaN)
      return values.reduce((sum, value) => sum + value / values.length, 0)
    }
    expect(mean(noise({ seconds: 1, seed: 5 }))).toBeLessThan(0.05)
    expect(mean(sine({ hz: 440, seconds: 1 }))).toBeGreaterThan(0.98)
    expect(mean(again(40, 1))).toBeGreaterThan(0.98)
    expect(mean(again(40, 0.5))).toBeGreaterThan(0.18)
    expect(mean(again(40, 0.5))).toBeLessThan(0.4)
  })
  it('says nothing of silence and of the end', () => {
    const at = createSelfLikeness({ sampleRate: 48_000, channels: [new Float32Array(48_000)] })
    expect(at(1000)).toBeUndefined()
    expect(createSelfLikeness(noise({ seconds: 0.1, seed: 1 }))(100)).toBeUndefined()
  })
})
