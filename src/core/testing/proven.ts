import type { AudioBlock } from '../audio/block'
import { createRandom } from '../dsp/random'
import type { ArtefactId } from '../measure/artefacts'
import * as damage from './damage'
import { noise } from './signals'

/**
 * Harm that is proven twice: done on purpose in a known size, and found again by a plain calculation.
 * That calculation shares no code with the measures. Their figures must follow it, in order and in size.
 */
export interface ProvenCase {
  readonly id: ArtefactId
  readonly material: string
  /** what the plain calculation finds, in the unit of the kind */
  readonly sizes: readonly { readonly result: AudioBlock; readonly plain: number }[]
  readonly source: AudioBlock
  /** how far a figure may lie from the plain one: so much, or such a share of it, whichever is more */
  readonly within: { readonly amount: number; readonly share: number }
}

const RATE = 48_000
const TAU = 2 * Math.PI

const mono = (samples: Float32Array): AudioBlock => ({ sampleRate: RATE, channels: [samples] })
const fill = (seconds: number, value: (t: number, i: number) => number): Float32Array =>
  Float32Array.from({ length: Math.round(seconds * RATE) }, (_, i) => value(i / RATE, i))

const CHORD_HZ = [220, 331, 441.5, 587] as const

/** Four tones that hold, or die away in `decay` seconds. */
const tones = (decay = Number.POSITIVE_INFINITY, level: (t: number) => number = () => 1, cents = 0) =>
  mono(
    fill(4, (t) => {
      let sum = 0
      for (const [k, hz] of CHORD_HZ.entries()) sum += Math.sin(TAU * hz * 2 ** (cents / 1200) * t + k) / (k + 1)
      return 0.3 * sum * level(t) * Math.exp(-t / decay) * Math.min(1, t / 0.1, (4 - t) / 0.1)
    }),
  )

const STARTS = [0.3, 0.8, 1.35, 1.7, 2.3, 2.75, 3.4, 3.9] as const

/** Hits of wood and noise, each moved by some milliseconds. */
function hits(moved: (n: number) => number = () => 0): AudioBlock {
  const out = new Float32Array(Math.round(4.5 * RATE))
  STARTS.forEach((start, n) => {
    const random = createRandom(n + 1)
    const first = Math.round((start + moved(n) / 1000) * RATE)
    for (let i = 0; i < 0.25 * RATE && first + i < out.length; i++) {
      const t = i / RATE
      const value =
        0.4 * Math.exp(-t / 0.03) * Math.sin(TAU * 700 * t) + 0.6 * Math.exp(-t / 0.004) * (2 * random() - 1)
      out[first + i] = (out[first + i] as number) + value
    }
  })
  return mono(out)
}

const energy = (samples: Float32Array, from = 0, to = samples.length) => {
  let sum = 0
  for (let i = Math.max(0, Math.round(from)); i < Math.min(samples.length, to); i++) sum += (samples[i] as number) ** 2
  return sum
}
const first = (audio: AudioBlock) => audio.channels[0] as Float32Array

/** What a sound has at one frequency around a moment: a sum of products with a windowed sine and cosine. */
function tuned(samples: Float32Array, hz: number, at: number, seconds: number): { level: number; phase: number } {
  const half = Math.round((seconds * RATE) / 2)
  let re = 0
  let im = 0
  for (let i = -half; i < half; i++) {
    const w = 0.5 + 0.5 * Math.cos((Math.PI * i) / half)
    const value = (samples[at + i] ?? 0) * w
    const angle = (TAU * hz * (at + i)) / RATE
    re += value * Math.cos(angle)
    im -= value * Math.sin(angle)
  }
  return { level: (2 * Math.hypot(re, im)) / half, phase: Math.atan2(im, re) }
}

/** Level of one tone over time around its straight line, dB rms, one after the other. */
function wobbleDb(samples: Float32Array, hz: number): number {
  const levels: number[] = []
  for (let at = 0.5 * RATE; at < 3.5 * RATE; at += 0.01 * RATE)
    levels.push(20 * Math.log10(tuned(samples, hz, Math.round(at), 0.05).level))
  const middle = (levels.length - 1) / 2
  const mean = levels.reduce((sum, value) => sum + value, 0) / levels.length
  const slope =
    levels.reduce((sum, value, n) => sum + (n - middle) * value, 0) /
    levels.reduce((sum, _, n) => sum + (n - middle) ** 2, 0)
  return Math.sqrt(levels.reduce((sum, v, n) => sum + (v - mean - slope * (n - middle)) ** 2, 0) / levels.length)
}

/** How far a tone lies off a frequency, cents: how fast its phase turns against it. */
function centsOff(samples: Float32Array, hz: number): number {
  const step = 0.02
  let turned = 0
  let count = 0
  for (let at = RATE; at < 3 * RATE; at += step * RATE) {
    const a = tuned(samples, hz, Math.round(at), 0.2).phase
    const b = tuned(samples, hz, Math.round(at + step * RATE), 0.2).phase
    let turn = b - a
    turn -= TAU * Math.round(turn / TAU)
    turned += turn
    count++
  }
  return 1200 * Math.log2(1 + turned / count / (TAU * step) / hz)
}

/** Frame from which on the energy of a millisecond first is a tenth of the loudest one, near a start. */
function beginning(samples: Float32Array, seconds: number): number {
  const from = Math.round((seconds - 0.05) * RATE)
  const loudest = Math.max(...Array.from({ length: 100 }, (_, n) => energy(samples, from + n * 48, from + n * 48 + 48)))
  for (let i = from; i < from + 4800; i++) if (energy(samples, i, i + 48) > 0.1 * loudest) return i
  return from
}

const rms = (values: readonly number[]) => Math.sqrt(values.reduce((sum, v) => sum + v * v, 0) / values.length)

const stereoNoise = () => {
  const audio = noise({ seconds: 4, seed: 9, channels: 2 })
  return { ...audio, channels: audio.channels.map((samples) => samples.map((v) => 0.3 * v)) }
}

/** Share of the energy that lies in the left channel, %. */
const leftShare = ({ channels }: AudioBlock) => {
  const [left, right] = channels.map((samples) => energy(samples)) as [number, number]
  return (100 * left) / (left + right)
}

const AGAIN_SECONDS = 0.06

/** Noise of which every second piece of 60 ms is the one before, in a share of its energy. */
function repeated(audio: AudioBlock, share: number): AudioBlock {
  const piece = Math.round(AGAIN_SECONDS * RATE)
  return {
    ...audio,
    channels: audio.channels.map((samples) =>
      samples.map((v, i) => {
        const n = Math.floor(i / piece)
        if (n % 2 === 0) return v
        return Math.sqrt(1 - share) * v + Math.sqrt(share) * (samples[i - piece] as number)
      }),
    ),
  }
}

/** Share of what follows that was heard 60 ms before, at that very distance, told as dB of what is not new. */
function againDb(samples: Float32Array): number {
  const lag = Math.round(AGAIN_SECONDS * RATE)
  let product = 0
  let own = 0
  for (let i = 0; i + lag < samples.length; i++) {
    product += (samples[i] as number) * (samples[i + lag] as number)
    own += (samples[i] as number) ** 2
  }
  // half of the pieces are copies: over those alone the correlation is twice that
  return -10 * Math.log10(1 - Math.min(0.99, ((2 * product) / own) ** 2 / 2))
}

const level = (material: string, source: AudioBlock): ProvenCase => ({
  id: 'level',
  material,
  source,
  sizes: [-1.5, -4, -9].map((db) => {
    const result = damage.gain(source, db)
    return { result, plain: Math.abs(10 * Math.log10(energy(first(result)) / energy(first(source)))) }
  }),
  within: { amount: 0.2, share: 0.05 },
})

const flutter = (material: string, decay: number): ProvenCase => ({
  id: 'flutter',
  material,
  source: tones(decay),
  sizes: [0.08, 0.2, 0.45].map((depth) => {
    const result = tones(decay, (t) => 1 + depth * Math.sin(TAU * 4 * t))
    return { result, plain: wobbleDb(first(result), CHORD_HZ[0]) }
  }),
  within: { amount: 0.15, share: 0.3 },
})

/** Made anew by each call: they take a second. */
export function provenCases(): ProvenCase[] {
  const chord = tones()
  const strokes = hits()
  const rain = stereoNoise()
  const wide = first(rain)
  return [
    level('tones', chord),
    level('hits', strokes),
    level('noise', mono(wide)),
    flutter('held tones', Number.POSITIVE_INFINITY),
    flutter('tones that die away', 1.2),
    {
      id: 'detune',
      material: 'tones',
      source: chord,
      sizes: [6, 14, 35].map((cents) => {
        const result = tones(Number.POSITIVE_INFINITY, () => 1, cents)
        return { result, plain: centsOff(first(result), CHORD_HZ[0]) }
      }),
      within: { amount: 1, share: 0.08 },
    },
    {
      id: 'slip',
      material: 'hits',
      source: strokes,
      sizes: [5, 11, 22].map((ms) => {
        const result = hits((n) => (n % 2 === 0 ? ms : 0))
        const off = STARTS.map((at) => beginning(first(result), at + 0.01) - beginning(first(strokes), at + 0.01))
        return { result, plain: rms(off.map((frames) => (1000 * frames) / RATE)) }
      }),
      within: { amount: 1, share: 0.12 },
    },
    {
      id: 'lost-attacks',
      material: 'hits',
      source: strokes,
      sizes: [1, 3].map((count) => {
        const result = damage.loseAttacks(strokes, STARTS, count === 1 ? [2] : [1, 3, 5])
        const gone = STARTS.filter((at) => energy(first(result), at * RATE, (at + 0.1) * RATE) < 1e-6).length
        return { result, plain: (100 * gone) / STARTS.length }
      }),
      within: { amount: 0.1, share: 0 },
    },
    {
      id: 'extra-attacks',
      material: 'hits',
      source: strokes,
      sizes: [1, 3].map((count) => {
        const result = damage.repeatAttacks(strokes, STARTS, count === 1 ? [2] : [1, 3, 5], 0.11, 0.8)
        const more = STARTS.filter((at) => {
          const rest = (audio: AudioBlock) => energy(first(audio), (at + 0.105) * RATE, (at + 0.15) * RATE)
          return rest(result) > 4 * rest(strokes)
        })
        return { result, plain: (100 * more.length) / STARTS.length }
      }),
      within: { amount: 0.1, share: 0 },
    },
    {
      id: 'image',
      material: 'noise',
      source: rain,
      sizes: [2, 5, 10].map((db) => {
        const result = damage.lean(rain, db)
        return { result, plain: Math.abs(leftShare(result) - leftShare(rain)) }
      }),
      within: { amount: 1.5, share: 0.08 },
    },
    {
      id: 'clicks',
      material: 'tones',
      source: chord,
      sizes: [1, 4].map((count) => {
        const result = damage.clicks(chord, count, 0.2)
        let jumps = 0
        const [a, b] = [first(result), first(chord)]
        for (let i = 1; i < a.length; i++)
          if (Math.abs((a[i] as number) - (b[i] as number) - ((a[i - 1] as number) - (b[i - 1] as number))) > 0.1)
            jumps++
        return { result, plain: jumps }
      }),
      within: { amount: 0, share: 0 },
    },
    {
      id: 'aliasing',
      material: 'tones',
      source: chord,
      sizes: [-50, -40, -28].map((db) => {
        const tone = fill(4, (t) => 10 ** (db / 20) * 0.24 * Math.sin(TAU * 9300 * t))
        const result = mono(first(chord).map((v, i) => v + (tone[i] as number)))
        const share = tuned(first(result), 9300, 2 * RATE, 0.5).level ** 2 / 2 / (energy(first(result)) / (4 * RATE))
        return { result, plain: 10 * Math.log10(share) + 80 }
      }),
      within: { amount: 2, share: 0 },
    },
    {
      id: 'noise-colour',
      material: 'noise',
      source: mono(wide),
      sizes: [0.5, 0.8].map((share) => {
        const result = repeated(mono(wide), share)
        return { result, plain: againDb(first(result)) }
      }),
      within: { amount: 0.3, share: 0.35 },
    },
  ]
}
