import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { complexFft } from '../dsp/fft'
import { hann } from '../dsp/window'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
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

/** Centre of gravity of the spectrum's power between two frequencies: a resonance without any peak picking. */
function centre(audio: AudioBlock, fromHz: number, toHz: number): number {
  const size = 16_384
  const fft = complexFft(size)
  const window = hann(size)
  const input = fft.create()
  const out = fft.create()
  for (let i = 0; i < size; i++) input[2 * i] = (window[i] as number) * (audio.channels[0]?.[16_000 + i] as number)
  fft.forward(out, input)
  let moment = 0
  let mass = 0
  for (let k = Math.ceil((fromHz * size) / RATE); k <= (toHz * size) / RATE; k++) {
    const power = (out[2 * k] as number) ** 2 + (out[2 * k + 1] as number) ** 2
    moment += (power * k * RATE) / size
    mass += power
  }
  return moment / mass
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
})

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
