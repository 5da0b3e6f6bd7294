import type { AudioBlock } from '../audio/block'
import { createRandom, type Random } from '../dsp/random'
import { semitonesToRatio } from '../dsp/units'

/**
 * Sounds whose perfect stretch and transposition are known: each is a score that is played again at the new tempo and
 * pitch. Strokes keep their natural ring, tones last as long as the score says, and noise comes from a seed, so that two
 * seeds show how far apart two equally good answers lie.
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

const TAU = 2 * Math.PI

interface Tape {
  readonly left: Float32Array
  readonly right: Float32Array
}

function tape(seconds: number): Tape {
  const frames = Math.round(seconds * IDEAL_RATE)
  return { left: new Float32Array(frames), right: new Float32Array(frames) }
}

/** Add a voice that starts at `at` seconds, sample by sample from its own time; starts between frames are kept. */
function add(to: Tape, at: number, seconds: number, pan: number, voice: (t: number) => number) {
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

const done = (to: Tape): AudioBlock => ({ sampleRate: IDEAL_RATE, channels: [to.left, to.right] })

/** Noise through a resonance, as a stroke's grit; its own stream for each stroke, so order does not matter. */
function grit(random: Random, hz: number, q: number) {
  const w = (TAU * hz) / IDEAL_RATE
  const r = Math.exp(-w / (2 * q))
  const a1 = 2 * r * Math.cos(w)
  const a2 = -r * r
  let y1 = 0
  let y2 = 0
  return () => {
    const y = (1 - r) * (2 * random() - 1) + a1 * y1 + a2 * y2
    y2 = y1
    y1 = y
    return y
  }
}

type Stroke = readonly [beat: number, kind: 'kick' | 'snare' | 'hat' | 'ghost', level: number]

const loop: readonly Stroke[] = [
  [0, 'kick', 1],
  [0.5, 'hat', 0.5],
  [1, 'snare', 0.9],
  [1.58, 'ghost', 0.22],
  [1.75, 'hat', 0.4],
  [2.08, 'kick', 0.8],
  [2.5, 'hat', 0.5],
  [3, 'snare', 1],
  [3.33, 'ghost', 0.18],
  [3.58, 'hat', 0.45],
  [4, 'kick', 1],
  [4.5, 'hat', 0.5],
  [4.83, 'ghost', 0.2],
  [5, 'snare', 0.85],
  [5.5, 'hat', 0.4],
  [5.75, 'kick', 0.7],
  [6.08, 'kick', 0.8],
  [6.5, 'hat', 0.5],
  [7, 'snare', 1],
  [7.33, 'ghost', 0.25],
  [7.66, 'hat', 0.5],
]

function playLoop(to: Tape, start: number, beat: number, playing: Playing, gain = 0.7): number[] {
  const r = semitonesToRatio(playing.semitones)
  return loop.map(([at, kind, level], n) => {
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
      const click = grit(random, 2800 * r, 1.2)
      add(to, t0, 0.02, 0, (t) => 1.2 * a * Math.exp(-t / 0.004) * click())
    } else if (kind === 'hat') {
      const hiss = grit(random, Math.min(18_000, 8600 * r), 1.5)
      add(to, t0, 0.12, 0.4, (t) => 1.3 * a * Math.exp(-t / 0.022) * hiss())
    } else {
      const wires = grit(random, 3600 * r, 0.7)
      add(to, t0, 0.25, -0.15, (t) => 1.2 * a * Math.exp(-t / 0.055) * wires())
      add(to, t0, 0.2, -0.15, (t) => 0.5 * a * Math.exp(-t / 0.045) * Math.sin(TAU * r * 186 * t))
    }
    return t0
  })
}

const drums: IdealItem = {
  id: 'drums',
  kind: 'hits',
  play(playing) {
    const beat = 0.6 * playing.stretch
    const to = tape(8.25 * beat)
    return { attacks: playLoop(to, 0.25 * beat, beat, playing), audio: done(to) }
  },
}

const clacks = [0.2, 0.55, 0.9, 1.07, 1.24, 1.41, 1.75, 2.1, 2.18, 2.26, 2.45, 2.8, 3.15, 3.32, 3.5]

const castanets: IdealItem = {
  id: 'castanets',
  kind: 'hits',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const to = tape(4 * playing.stretch)
    const attacks = clacks.map((at, n) => {
      const random = createRandom(playing.seed * 104_729 + n)
      const t0 = at * playing.stretch
      const wood = [1150, 2330, 3720].map((hz) => hz * r * (1 + 0.03 * Math.sin(n * 7.7 + hz)))
      const level = 0.5 + 0.25 * Math.sin(n * 2.3)
      const snap = grit(random, Math.min(18_000, 5200 * r), 1)
      add(to, t0, 0.12, Math.sin(n), (t) => {
        let sum = 0
        wood.forEach((hz, k) => {
          sum += Math.exp(-t / (0.02 / (k + 1))) * Math.sin(TAU * hz * t + k)
        })
        return level * (0.35 * sum + 0.9 * Math.exp(-t / 0.003) * snap())
      })
      return t0
    })
    return { audio: done(to), attacks }
  },
}

const rise = (t: number, seconds: number) => (t < seconds ? 0.5 - 0.5 * Math.cos((Math.PI * t) / seconds) : 1)

/**
 * Σ levels[k−1] · sin(2π(k · turns + phases[k−1])): from one partial to the next the angle is turned by multiplying, which is
 * many times as fast as a sine for each.
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

/** Partials of a tone at `hz`, the k-th at level 1 / k^falls, that start at `phases` (in turns): their sum at a moment. */
function partialsOf(hz: number, falls: number, phases: readonly number[]): (t: number) => number {
  const heard = phases.filter((_, k) => (k + 1) * hz < 20_000)
  const levels = Float64Array.from(heard, (_, k) => 1 / (k + 1) ** falls)
  const sines = Float64Array.from(heard, (phase) => Math.sin(TAU * phase))
  const cosines = Float64Array.from(heard, (phase) => Math.cos(TAU * phase))
  return (t) => harmonicSum(hz * t, levels, sines, cosines)
}

/**
 * A tone of ten partials that start at phases of the seed's choosing: no playing of a score fixes them. They belong to the note
 * as written (`writtenHz`), so a transposed playing has the same ones: where notes share a partial, it stays as loud.
 */
function organ(
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

const noteHz = (midi: number) => 440 * semitonesToRatio(midi - 69)

const chord: IdealItem = {
  id: 'chord',
  kind: 'tones',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(4 * s)
    const partials: { hz: number; from: number; to: number }[] = []
    for (const [n, midi] of [45, 57, 64, 69, 73].entries()) {
      const hz = noteHz(midi) * r
      organ(to, playing.seed, 0.2 * s, 3.6 * s, 0.4 * (n - 2), 0.12, noteHz(midi), r, 0.15 * s)
      // the ones that no other note comes near
      if (n === 0) for (const k of [1, 4, 7]) partials.push({ hz: k * hz, from: 0.9 * s, to: 3.1 * s })
    }
    return { audio: done(to), attacks: [0.2 * s], partials }
  },
}

const arpeggio: IdealItem = {
  id: 'arpeggio',
  kind: 'tones',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(4.4 * s)
    const partials: { hz: number; from: number; to: number }[] = []
    const attacks = [57, 64, 69, 73, 76, 73, 69, 64].map((midi, n) => {
      const at = (0.1 + 0.5 * n) * s
      const hz = noteHz(midi) * r
      const random = createRandom(playing.seed * 211 + n)
      const sumAt = partialsOf(
        hz,
        1.2,
        Array.from({ length: 8 }, () => random()),
      )
      add(to, at, 0.55 * s, 0.5 * Math.sin(n), (t) => 0.25 * sumAt(t) * rise(t, 0.008) * rise(0.55 * s - t, 0.05 * s))
      partials.push({ hz, from: at + 0.15 * s, to: at + 0.45 * s })
      return at
    })
    return { audio: done(to), attacks, partials }
  },
}

/** what is sung has no harmonics above this; moved formants move it along, for no method can make up what the source lacks */
const TOP_HZ = 9000

/** A line of harmonics under a spectral tilt up to `topHz`, whose phase is the integral of its pitch. */
function sung(
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

const glide: IdealItem = {
  id: 'glide',
  kind: 'line',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(3.4 * s)
    const f0At = (t: number) => {
      const x = t / s
      if (x < 0.2 || x > 3.2) return 0
      const steps = 50 + 7 * Math.sin((Math.PI * (x - 0.2)) / 3) + 0.35 * Math.sin(TAU * 5.3 * x)
      return noteHz(steps) * r
    }
    // closer harmonics under the same envelope are fewer: the loudness is kept
    const gain = playing.keepFormants ? 0.35 * Math.sqrt(r) : 0.35
    const knee = 900 * (playing.keepFormants ? 1 : r)
    // one and a half: a power by a square root is many times as fast
    const tilt = (hz: number) => 1 / (1 + (hz / knee) * Math.sqrt(hz / knee))
    const gainAt = (t: number) => gain * rise(t - 0.2 * s, 0.04 * s) * rise(3.2 * s - t, 0.06 * s)
    sung(to, 0.2 * s, 3.2 * s, f0At, tilt, gainAt, TOP_HZ * (playing.keepFormants ? 1 : r))
    return { audio: done(to), attacks: [0.2 * s], f0At }
  },
}

const vowels: readonly (readonly [at: number, seconds: number, formants: readonly number[]])[] = [
  [0.15, 0.5, [690, 1150, 2540]],
  [0.8, 0.45, [320, 2180, 2900]],
  [1.45, 0.55, [480, 1850, 2560]],
  [2.2, 0.5, [370, 850, 2420]],
]

const FORMANT_LEVELS = [1, 0.55, 0.25]

function vowelLevel(hz: number, formants: readonly number[], shift: number): number {
  let sum = 0.004
  for (let n = 0; n < formants.length; n++) {
    const off = (hz - (formants[n] as number) * shift) / ((70 + 30 * n) * shift)
    sum += (FORMANT_LEVELS[n] as number) / (1 + off * off)
  }
  return sum
}

const voice: IdealItem = {
  id: 'voice',
  kind: 'line',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const shift = playing.keepFormants ? 1 : r
    const s = playing.stretch
    const to = tape(2.9 * s)
    const pitch = (x: number) => 118 * (1 + 0.12 * Math.sin(1.9 * x) - 0.03 * x) * r
    const attacks: number[] = []
    vowels.forEach(([at, seconds, formants], n) => {
      const from = at * s
      const end = (at + seconds) * s
      sung(
        to,
        from,
        end,
        (t) => pitch(t / s),
        (hz) => vowelLevel(hz, formants, shift),
        (t) => (playing.keepFormants ? 0.16 * Math.sqrt(r) : 0.16) * rise(t - from, 0.018) * rise(end - t, 0.04 * s),
        TOP_HZ * shift,
      )
      attacks.push(from)
      const next = vowels[n + 1]
      if (!next) return
      // between vowels a burst or a hiss; a hiss lasts as the score says, a burst as it does
      const random = createRandom(playing.seed * 31 + n)
      const noise = grit(random, (n === 1 ? 3000 : 5600) * shift, n === 1 ? 0.8 : 2)
      if (n === 1) add(to, (at + seconds + 0.12) * s, 0.03, 0, (t) => 0.5 * Math.exp(-t / 0.006) * noise())
      else {
        const start = (at + seconds + 0.01) * s
        attacks.push(start)
        const length = (next[0] - at - seconds - 0.03) * s
        add(to, start, length, 0, (t) => 0.3 * noise() * rise(t, 0.02 * s) * rise(length - t, 0.02 * s))
      }
      if (n === 1) attacks.push((at + seconds + 0.12) * s)
    })
    const f0At = (t: number) => (vowels.some(([at, d]) => t >= at * s && t <= (at + d) * s) ? pitch(t / s) : 0)
    const formants = vowels.map(([at, seconds, hz]) => ({
      at: (at + seconds / 2) * s,
      hz: hz.map((centre) => centre * shift),
    }))
    return { audio: done(to), attacks: attacks.sort((a, b) => a - b), f0At, formants }
  },
}

const bass: IdealItem = {
  id: 'bass',
  kind: 'line',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(3.8 * s)
    const notes = [33, 33, 40, 36, 31, 38, 43, 33].map((midi, n) => ({
      at: (0.1 + 0.45 * n) * s,
      hz: noteHz(midi) * r,
    }))
    for (const { at, hz } of notes) {
      add(to, at, 0.4 * s, 0, (t) => {
        let sum = 0
        for (let n = 1; n <= 12; n++) sum += Math.sin(TAU * n * hz * t) * Math.exp((-t / s) * (0.8 + 0.5 * n)) * (1 / n)
        return 0.4 * sum * rise(t, 0.004) * rise(0.4 * s - t, 0.03 * s)
      })
    }
    const f0At = (t: number) => notes.find((n) => t >= n.at && t <= n.at + 0.37 * s)?.hz ?? 0
    return { audio: done(to), attacks: notes.map((n) => n.at), f0At }
  },
}

/** A bed of noise with a fixed tilt, different left and right, that breathes with the score. */
const rain: IdealItem = {
  id: 'rain',
  kind: 'noise',
  play(playing) {
    const s = playing.stretch
    const r = semitonesToRatio(playing.semitones)
    const to = tape(4 * s)
    for (const [c, channel] of [to.left, to.right].entries()) {
      const random = createRandom(playing.seed * 65_537 + c)
      const high = grit(random, Math.min(20_000, 4200 * r), 0.6)
      const low = grit(random, 700 * r, 0.5)
      for (let i = 0; i < channel.length; i++) {
        channel[i] = (0.9 * high() + 0.5 * low()) * (1 + 0.15 * Math.sin((TAU * 0.7 * i) / (IDEAL_RATE * s)))
      }
    }
    return { audio: done(to), attacks: [] }
  },
}

/** A tone left, hits right, noise wide: what a stretch does to the image shows. */
const scene: IdealItem = {
  id: 'scene',
  kind: 'scene',
  play(playing) {
    const s = playing.stretch
    const bed = rain.play(playing).audio
    const to = tape(4 * s)
    const r = semitonesToRatio(playing.semitones)
    organ(to, playing.seed, 0.1 * s, 3.8 * s, -0.7, 0.25, 220, r, 0.1 * s)
    organ(to, playing.seed, 0.1 * s, 3.8 * s, -0.2, 0.12, 330, r, 0.1 * s)
    const attacks = [0.5, 1.25, 2, 2.75, 3.5].map((at, n) => {
      const noise = grit(createRandom(playing.seed * 13 + n), 2500 * r, 1)
      add(to, at * s, 0.2, 0.8, (t) => Math.exp(-t / 0.03) * noise())
      return at * s
    })
    for (const [c, channel] of [to.left, to.right].entries()) {
      for (let i = 0; i < channel.length; i++) channel[i] = (channel[i] as number) + 0.08 * (bed.channels[c]?.[i] ?? 0)
    }
    return { audio: done(to), attacks }
  },
}

const drumsOverChords: IdealItem = {
  id: 'drums over chords',
  kind: 'mix',
  play(playing) {
    const beat = 0.6 * playing.stretch
    const to = tape(8.25 * beat)
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const partials: { hz: number; from: number; to: number }[] = []
    for (const [n, midi] of [45, 57, 64, 69].entries()) {
      const hz = noteHz(midi) * r
      organ(to, playing.seed, 0.05 * s, 4.85 * s, 0.4 * (n - 1.5), 0.07, noteHz(midi), r, 0.02 * s)
      // above where the kick sweeps and the snare rings
      if (n === 0) for (const k of [4, 7]) partials.push({ hz: k * hz, from: 0.5 * s, to: 4.5 * s })
    }
    return { attacks: [0.05 * s, ...playLoop(to, 0.25 * beat, beat, playing)], audio: done(to), partials }
  },
}

/** A sine that glides over nine octaves: whatever folds back lies off its line. */
const sweep: IdealItem = {
  id: 'sweep',
  kind: 'line',
  play(playing) {
    const r = semitonesToRatio(playing.semitones)
    const s = playing.stretch
    const to = tape(4 * s)
    const top = Math.log2(20_000 / 40)
    for (let i = 0, phase = 0; i < to.left.length; i++) {
      const t = i / IDEAL_RATE / (4 * s)
      const hz = 40 * 2 ** (top * t) * r
      phase += hz / IDEAL_RATE
      const value = hz < IDEAL_RATE / 2 ? 0.5 * Math.sin(TAU * phase) : 0
      to.left[i] = value
      to.right[i] = value
    }
    return { audio: done(to), attacks: [], f0At: (t) => 40 * 2 ** ((top * t) / (4 * s)) * r }
  },
}

export const idealItems: readonly IdealItem[] = [
  drums,
  castanets,
  chord,
  arpeggio,
  glide,
  voice,
  bass,
  rain,
  scene,
  drumsOverChords,
  sweep,
]
