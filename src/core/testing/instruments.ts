import type { AudioBlock } from '../audio/block'
import { createRandom, type Random } from '../dsp/random'
import { semitonesToRatio } from '../dsp/units'

/** How ideal sounds are played: types, and the instruments that play a score. */

/**
 * Sounds whose perfect stretch and transposition are known: each is a score that is played again at the new tempo and
 * pitch. Strokes keep their natural ring, and tones last as long as the score says. Noise comes from a seed: two seeds
 * show how far apart two equally good answers lie.
 */
export interface Ideal {
  readonly audio: AudioBlock
  /** seconds, rising */
  readonly attacks: readonly number[]
  /** pitch at a moment, 0 where there is none; for single lines */
  readonly f0At?: (seconds: number) => number
  /** steady partials, Hz, with the time in which each is level */
  readonly partials?: readonly { readonly hz: number; readonly from: number; readonly to: number }[]
  /** formant centres, Hz, and a moment (seconds) in the middle of the vowel that has them */
  readonly formants?: readonly { readonly at: number; readonly hz: readonly number[] }[]
}

export interface Playing {
  readonly stretch: number
  readonly semitones: number
  /** what transposes: formants stay where `keepFormants` says so */
  readonly keepFormants?: boolean
  readonly seed: number
}

export interface IdealItem {
  readonly id: string
  readonly kind: 'hits' | 'tones' | 'line' | 'noise' | 'scene' | 'mix'
  play(playing: Playing): Ideal
}

export const IDEAL_RATE = 48_000
export const AS_WRITTEN: Playing = { stretch: 1, semitones: 0, seed: 1 }

export const TAU = 2 * Math.PI

export interface Tape {
  readonly left: Float32Array
  readonly right: Float32Array
}

export function tape(seconds: number): Tape {
  const frames = Math.round(seconds * IDEAL_RATE)
  return { left: new Float32Array(frames), right: new Float32Array(frames) }
}

/** Add a voice that starts at `at` seconds, sample by sample from its own time; starts between frames are kept. */
export function add(to: Tape, at: number, seconds: number, pan: number, voice: (t: number) => number) {
  const angle = ((pan + 1) * Math.PI) / 4
  const gl = Math.cos(angle)
  const gr = Math.sin(angle)
  const first = Math.max(0, Math.ceil(at * IDEAL_RATE))
  const end = Math.min(to.left.length, Math.ceil((at + seconds) * IDEAL_RATE))
  for (let i = first; i < end; i++) {
    const value = voice(i / IDEAL_RATE - at)
    to.left[i] = (to.left[i] as number) + gl * value
    to.right[i] = (to.right[i] as number) + gr * value
  }
}

export const done = (to: Tape): AudioBlock => ({ sampleRate: IDEAL_RATE, channels: [to.left, to.right] })

/** a resonance lies no higher than this, Hz */
const HIGHEST_GRIT_HZ = 18_000

/**
 * Noise through a resonance, as a stroke's grit; its own stream for each stroke, so order does not matter. Played
 * `ratio` times as high it is as loud as it is written: a narrower resonance lets less of the noise through.
 */
export function grit(random: Random, hz: number, q: number, ratio = 1) {
  const { r, a1, a2, power } = resonance(Math.min(HIGHEST_GRIT_HZ, hz * ratio), q)
  const gain = (1 - r) * Math.sqrt(resonance(hz, q).power / power)
  let y1 = 0
  let y2 = 0
  return () => {
    const y = gain * (2 * random() - 1) + a1 * y1 + a2 * y2
    y2 = y1
    y1 = y
    return y
  }
}

/** The poles of a resonance, and the power that it lets through of white noise at level 1 − r. */
function resonance(hz: number, q: number) {
  const w = (TAU * hz) / IDEAL_RATE
  const r = Math.exp(-w / (2 * q))
  const a1 = 2 * r * Math.cos(w)
  const a2 = -r * r
  const power = ((1 - r) ** 2 * (1 - a2)) / ((1 + a2) * ((1 - a2) ** 2 - a1 ** 2))
  return { r, a1, a2, power }
}

export type Stroke = readonly [beat: number, kind: 'kick' | 'snare' | 'hat' | 'ghost', level: number]

export function playStrokes(
  to: Tape,
  strokes: readonly Stroke[],
  start: number,
  beat: number,
  playing: Playing,
  gain = 0.7,
): number[] {
  const r = semitonesToRatio(playing.semitones)
  return strokes.map(([at, kind, level], n) => {
    const random = createRandom(playing.seed * 7919 + n)
    const t0 = start + at * beat
    const a = gain * level
    if (kind === 'kick') {
      add(
        to,
        t0,
        0.35,
        0,
        (t) => a * Math.exp(-t / 0.09) * Math.sin(TAU * r * (52 * t + 2.2 * (1 - Math.exp(-t / 0.018)))),
      )
      const click = grit(random, 2800, 1.2, r)
      add(to, t0, 0.02, 0, (t) => 1.2 * a * Math.exp(-t / 0.004) * click())
    } else if (kind === 'hat') {
      const hiss = grit(random, 8600, 1.5, r)
      add(to, t0, 0.12, 0.4, (t) => 1.3 * a * Math.exp(-t / 0.022) * hiss())
    } else {
      const wires = grit(random, 3600, 0.7, r)
      add(to, t0, 0.25, -0.15, (t) => 1.2 * a * Math.exp(-t / 0.055) * wires())
      add(to, t0, 0.2, -0.15, (t) => 0.5 * a * Math.exp(-t / 0.045) * Math.sin(TAU * r * 186 * t))
    }
    return t0
  })
}

export const rise = (t: number, seconds: number) => (t < seconds ? 0.5 - 0.5 * Math.cos((Math.PI * t) / seconds) : 1)

/**
 * Σ levels[k−1] · sin(2π(k · turns + phases[k−1])).
 * The angle is turned from one partial to the next by multiplying: many times as fast as a sine for each.
 */
function harmonicSum(turns: number, levels: Float64Array, sines: Float64Array, cosines: Float64Array): number {
  const angle = TAU * (turns - Math.floor(turns))
  const stepSin = Math.sin(angle)
  const stepCos = Math.cos(angle)
  let sin = stepSin
  let cos = stepCos
  let sum = 0
  for (let k = 0; k < levels.length; k++) {
    sum += (levels[k] as number) * (sin * (cosines[k] as number) + cos * (sines[k] as number))
    const next = sin * stepCos + cos * stepSin
    cos = cos * stepCos - sin * stepSin
    sin = next
  }
  return sum
}

/** The sum at a moment of the partials of a tone at `hz`: the k-th at level 1 / k^falls, from `phases` in turns. */
export function partialsOf(hz: number, falls: number, phases: readonly number[]): (t: number) => number {
  const heard = phases.filter((_, k) => (k + 1) * hz < 20_000)
  const levels = Float64Array.from(heard, (_, k) => 1 / (k + 1) ** falls)
  const sines = Float64Array.from(heard, (phase) => Math.sin(TAU * phase))
  const cosines = Float64Array.from(heard, (phase) => Math.cos(TAU * phase))
  return (t) => harmonicSum(hz * t, levels, sines, cosines)
}

/**
 * A tone of ten partials that start at phases of the seed’s choosing: no playing of a score fixes them.
 * They belong to the note as written (`writtenHz`), so a transposed playing has the same ones.
 * Where notes share a partial, it stays as loud.
 */
export function organ(
  to: Tape,
  seed: number,
  at: number,
  seconds: number,
  pan: number,
  gain: number,
  writtenHz: number,
  ratio: number,
  fade: number,
) {
  const hz = writtenHz * ratio
  const random = createRandom(seed * 401 + Math.round(writtenHz * 10))
  const sumAt = partialsOf(
    hz,
    1.3,
    Array.from({ length: 10 }, () => random()),
  )
  add(to, at, seconds, pan, (t) => gain * sumAt(t) * rise(t, fade) * rise(seconds - t, fade))
}

export const noteHz = (midi: number) => 440 * semitonesToRatio(midi - 69)

/** What is sung has no harmonics above this. Moved formants move it along: no method can make up what is not there. */
export const TOP_HZ = 9000

/** A line of harmonics under a spectral tilt up to `topHz`, whose phase is the integral of its pitch. */
export function sung(
  to: Tape,
  from: number,
  end: number,
  f0At: (t: number) => number,
  levelAt: (hz: number, t: number) => number,
  gainAt: (t: number) => number,
  topHz: number,
) {
  let phase = 0
  const first = Math.round(from * IDEAL_RATE)
  const last = Math.min(to.left.length, Math.round(end * IDEAL_RATE))
  for (let i = first; i < last; i++) {
    const t = i / IDEAL_RATE
    const hz = f0At(t)
    if (hz === 0) continue
    phase += hz / IDEAL_RATE
    // sin nθ from the two before it
    const angle = TAU * (phase - Math.floor(phase))
    const twice = 2 * Math.cos(angle)
    let before = 0
    let sine = Math.sin(angle)
    let sum = 0
    for (let n = 1; n * hz < topHz; n++) {
      sum += levelAt(n * hz, t) * sine
      const next = twice * sine - before
      before = sine
      sine = next
    }
    const value = gainAt(t) * sum
    to.left[i] = (to.left[i] as number) + 0.7 * value
    to.right[i] = (to.right[i] as number) + 0.7 * value
  }
}

const FORMANT_LEVELS = [1, 0.55, 0.25]

export function vowelLevel(hz: number, formants: readonly number[], shift: number): number {
  let sum = 0.004
  for (let n = 0; n < formants.length; n++) {
    const off = (hz - (formants[n] as number) * shift) / ((70 + 30 * n) * shift)
    sum += (FORMANT_LEVELS[n] as number) / (1 + off * off)
  }
  return sum
}

/** Sing a vowel, whose formants are moved by a factor. */
export function sungVowel(
  to: Tape,
  from: number,
  end: number,
  f0At: (t: number) => number,
  formants: Parameters<typeof vowelLevel>[1],
  shift: number,
  gainAt: (t: number) => number,
) {
  sung(to, from, end, f0At, (hz) => vowelLevel(hz, formants, shift), gainAt, TOP_HZ * shift)
}
