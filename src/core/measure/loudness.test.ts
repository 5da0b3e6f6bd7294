import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { noise, sine } from '../testing/signals'
import { createLoudnessMeter } from './loudness'

function loudness(audio: AudioBlock, blockFrames = 4096): number {
  const meter = createLoudnessMeter(audio.sampleRate, audio.channels.length)
  const frames = audio.channels[0]?.length ?? 0
  for (let at = 0; at < frames; at += blockFrames) {
    const part = audio.channels.map((c) => c.subarray(at, at + blockFrames))
    meter.add(part, part[0]?.length ?? 0)
  }
  return meter.finish()
}

describe('createLoudnessMeter', () => {
  // EBU Tech 3341: a stereo sine of 997 Hz… at −23 dBFS reads −23 LUFS; BS.1770 gives −3.01 LUFS for one channel at 0 dBFS
  it.each([44_100, 48_000, 96_000, 192_000])(
    'reads a full-scale 997 Hz sine in one channel as −3.01 LUFS at %d Hz',
    (sampleRate) => {
      expect(loudness(sine({ hz: 997, seconds: 3, amplitude: 1, sampleRate }))).toBeCloseTo(-3.01, 1)
    },
  )

  it('reads −23 dBFS in both channels as −23 LUFS', () => {
    expect(loudness(sine({ hz: 1000, seconds: 3, amplitude: 10 ** (-23 / 20), channels: 2 }))).toBeCloseTo(-23, 1)
  })

  it('does not depend on the block length, and follows gain dB by dB', () => {
    const audio = noise({ seconds: 2, seed: 4, channels: 2 })
    expect(loudness(audio, 777)).toBeCloseTo(loudness(audio), 9)
    const half = { ...audio, channels: audio.channels.map((c) => c.map((v) => v / 2)) }
    expect(loudness(audio) - loudness(half)).toBeCloseTo(6.02, 1)
  })

  it('leaves silence out of the mean, but for the windows that straddle its edge', () => {
    const tone = sine({ hz: 500, seconds: 4 })
    const gaps = tone.channels[0]?.map((v, i) => (i > 96_000 ? 0 : v)) as Float32Array
    expect(Math.abs(loudness({ sampleRate: 48_000, channels: [gaps] }) - loudness(tone))).toBeLessThan(0.4)
  })

  it('weighs a sound shorter than a window whole, and knows silence', () => {
    expect(loudness(sine({ hz: 997, seconds: 0.2, amplitude: 1 }))).toBeCloseTo(-3.01, 0)
    expect(loudness({ sampleRate: 48_000, channels: [new Float32Array(48_000)] })).toBe(Number.NEGATIVE_INFINITY)
  })
})
