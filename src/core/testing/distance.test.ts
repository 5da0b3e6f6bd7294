import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { spectralDistance } from './distance'
import { chord, clicks, noise } from './signals'

const material: AudioBlock = chord({ hz: [220, 277.2, 329.6, 1318], seconds: 1 })
const changed = (
  audio: AudioBlock,
  at: (value: number, frame: number, channel: Float32Array) => number,
): AudioBlock => ({
  ...audio,
  channels: audio.channels.map((channel) => channel.map((value, frame) => at(value, frame, channel))),
})

describe('the distance to an ideal', () => {
  it('is nothing to itself, and nothing to a turned phase or a quarter of a millisecond', () => {
    expect(spectralDistance(material, material)).toBe(0)
    expect(
      spectralDistance(
        changed(material, (v) => -v),
        material,
      ),
    ).toBe(0)
    const late = changed(material, (_, i, channel) => channel[i - 12] ?? 0)
    expect(spectralDistance(late, material)).toBeLessThan(0.5)
  })

  it('is a level change in dB, and grows with it', () => {
    const at = (db: number) =>
      spectralDistance(
        changed(material, (v) => v * 10 ** (db / 20)),
        material,
      )
    expect(at(-3)).toBeCloseTo(3, 0)
    expect(at(-6)).toBeGreaterThan(at(-3))
  })

  it('grows with noise, with a shift of hits, and with a lost ending', () => {
    const hiss = noise({ seconds: 1, seed: 2 }).channels[0] as Float32Array
    const noisy = (gain: number) =>
      spectralDistance(
        changed(material, (v, i) => v + gain * (hiss[i] as number)),
        material,
      )
    expect(noisy(0.01)).toBeGreaterThan(0.1)
    expect(noisy(0.1)).toBeGreaterThan(noisy(0.01) + 1)
    const hits = clicks({ at: [0.2, 0.5, 0.8], seconds: 1 })
    const moved = (ms: number) =>
      spectralDistance(
        changed(hits, (_, i, channel) => channel[i - Math.round(48 * ms)] ?? 0),
        hits,
      )
    expect(moved(20)).toBeGreaterThan(moved(5))
    expect(moved(5)).toBeGreaterThan(moved(0.3))
    const short = { ...material, channels: material.channels.map((channel) => channel.slice(0, 24_000)) }
    expect(spectralDistance(short, material)).toBeGreaterThan(5)
  })

  it('does not hear what lies far below the ideal', () => {
    const hiss = noise({ seconds: 1, seed: 3 }).channels[0] as Float32Array
    expect(
      spectralDistance(
        changed(material, (v, i) => v + 2e-6 * (hiss[i] as number)),
        material,
      ),
    ).toBeLessThan(0.05)
  })
})
