import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { complexFft } from '../dsp/fft'
import { hann } from '../dsp/window'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { noise } from '../testing/signals'
import { fitTone } from '../testing/tone'

const RATE = 48_000

/** A vowel by its definition: harmonics of f0 under two resonance curves at 700 and 1700 Hz. */
function vowel(f0: number): AudioBlock {
  const envelope = (hz: number) => 1 / (1 + ((hz - 700) / 90) ** 2) + 0.5 / (1 + ((hz - 1700) / 120) ** 2)
  const samples = Float32Array.from({ length: RATE }, (_, i) => {
    let sum = 0
    for (let n = 1; n * f0 < 6000; n++) sum += envelope(n * f0) * Math.sin((2 * Math.PI * n * f0 * i) / RATE + n * n)
    return 0.1 * sum
  })
  return { sampleRate: RATE, channels: [samples] }
}

const SIZE = 16_384

/** The power of a long middle part, bin by bin. */
function spectrumOf(audio: AudioBlock): Float64Array {
  const fft = complexFft(SIZE)
  const window = hann(SIZE)
  const input = fft.create()
  const out = fft.create()
  for (let i = 0; i < SIZE; i++) input[2 * i] = (window[i] as number) * (audio.channels[0]?.[16_000 + i] as number)
  fft.forward(out, input)
  return Float64Array.from(
    { length: SIZE / 2 },
    (_, k) => (out[2 * k] as number) ** 2 + (out[2 * k + 1] as number) ** 2,
  )
}

/** Centre of gravity of the spectrum's power between two frequencies: a resonance without any peak picking. */
function centre(audio: AudioBlock, fromHz: number, toHz: number): number {
  const bins = spectrumOf(audio)
  let moment = 0
  for (let k = Math.ceil((fromHz * SIZE) / RATE); k < (toHz * SIZE) / RATE; k++)
    moment += ((bins[k] as number) * k * RATE) / SIZE
  return moment / powerBetween(audio, fromHz, toHz)
}

describe('formants', () => {
  it.each([
    ['vocoder', 5],
    ['vocoder', -5],
    ['wsola', 4],
  ])(
    'are those of the same vowel sung at the new pitch under %s at %d st when kept, and move when not',
    (id, pitchSemitones) => {
      const ratio = 2 ** (pitchSemitones / 12)
      const errors: number[] = []
      for (const f0 of [98, 109, 120, 133, 151]) {
        const source = vowel(f0)
        const ideal = vowel(f0 * ratio)
        const kept = renderBlock(source, recipe(id, { pitchSemitones, formants: 'keep' }))
        errors.push(centre(kept, 450, 950) / centre(ideal, 450, 950) - 1)
        expect(Math.abs(centre(kept, 1400, 2000) / centre(ideal, 1400, 2000) - 1)).toBeLessThan(0.03)
      }
      const moved = renderBlock(vowel(120), recipe(id, { pitchSemitones, formants: 'move' }))
      const at = centre(vowel(120), 450, 950) * ratio
      expect(Math.abs(centre(moved, 450 * ratio, 950 * ratio) / at - 1)).toBeLessThan(0.03)
      // three or four partials sample a resonance 180 Hz wide: single pitches scatter, their middle must not
      const mean = errors.reduce((sum, e) => sum + e, 0) / errors.length
      expect(Math.abs(mean)).toBeLessThan(0.025)
      for (const error of errors) expect(Math.abs(error)).toBeLessThan(0.05)
    },
  )

  it.each([
    [190, 5, 2.5],
    [220, -5, 2.5],
    [640, 5, 4.5],
    [900, -5, 4.5],
  ])(
    'lets every partial of a tone of %d Hz have the level that the kept envelope has where it comes to lie, at %d st',
    (f0, pitchSemitones, within) => {
      const ratio = 2 ** (pitchSemitones / 12)
      const tilt = (hz: number) => 1 / (1 + (hz / 900) ** 1.5)
      const out = renderBlock(tilted(f0, tilt), recipe('vocoder', { pitchSemitones, formants: 'keep' }))
      for (let n = 1; n * Math.max(1, ratio) * f0 < 5000; n++) {
        const hz = n * f0 * ratio
        const off = 20 * Math.log10(partial(out, hz) / (0.1 * tilt(hz)))
        expect(Math.abs(off)).toBeLessThan(within)
      }
    },
  )

  it.each([
    ['vocoder', -12, 1],
    ['wsola', -12, 2],
    ['vocoder', -9, 1],
  ] as const)('leave no gap at the top of what %s moves down by %d st', (id, pitchSemitones, channels) => {
    const hiss = noise({ seconds: 1, seed: 7, channels })
    const kept = renderBlock(hiss, recipe(id, { pitchSemitones, formants: 'keep' }))
    // of noise that is as loud everywhere, each part of the spectrum holds the same share
    for (const [from, to] of [
      [12_500, 16_000],
      [16_000, 20_000],
      [20_000, 22_500],
    ] as const) {
      const share = (audio: AudioBlock) => powerBetween(audio, from, to) / powerBetween(audio, 1000, 22_500)
      expect(Math.abs(10 * Math.log10(share(kept) / share(hiss)))).toBeLessThan(2)
    }
    const gone = renderBlock(hiss, recipe(id, { pitchSemitones, formants: 'move' }))
    const above = 1.04 * (RATE / 2) * 2 ** (pitchSemitones / 12)
    expect(powerBetween(gone, above, 22_500)).toBeLessThan(1e-4 * powerBetween(kept, above, 22_500))
  })
})

/** Power between two frequencies over a long middle part. */
function powerBetween(audio: AudioBlock, fromHz: number, toHz: number): number {
  const bins = spectrumOf(audio)
  let power = 0
  for (let k = Math.ceil((fromHz * SIZE) / RATE); k < (toHz * SIZE) / RATE; k++) power += bins[k] as number
  return power
}

/** Harmonics of `f0` under a smooth envelope. */
function tilted(f0: number, envelope: (hz: number) => number): AudioBlock {
  const samples = Float32Array.from({ length: RATE }, (_, i) => {
    let sum = 0
    for (let n = 1; n * f0 < 9000; n++) sum += envelope(n * f0) * Math.sin((2 * Math.PI * n * f0 * i) / RATE + n * n)
    return 0.1 * sum
  })
  return { sampleRate: RATE, channels: [samples] }
}

/** Amplitude of a partial in the middle of a sound. */
const partial = (audio: AudioBlock, hz: number) =>
  fitTone((audio.channels[0] as Float32Array).subarray(20_000, 28_192), RATE, hz).amplitude
