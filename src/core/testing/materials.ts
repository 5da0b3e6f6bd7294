import type { AudioBlock } from '../audio/block'
import { addRoom, burst, createMix, place, RATE, reed, struck } from '../demo/instruments'
import { speak } from '../demo/speech'
import { createRandom, type Random } from '../dsp/random'
import { type LoopStyle, makeLoop } from './loops'

/** Sounds whose kind is beyond doubt, and mixtures whose kind is not. */
export interface MaterialItem {
  readonly name: string
  readonly kind: 'hits' | 'single line' | 'chords' | 'dense mix' | 'noise' | 'unsure'
  readonly audio: AudioBlock
  /** for tuned items: pitch class of the tonic, and the mode */
  readonly key?: { readonly root: number; readonly mode: 'major' | 'minor' }
}

const drums: readonly LoopStyle[] = [
  'fourFloor',
  'backbeat',
  'sixteenths',
  'syncopated',
  'broken',
  'sparse',
  'shaker',
  'hand',
  'rolling',
  'knocks',
]
const hz = (midi: number) => 440 * 2 ** ((midi - 69) / 12)

interface Tone {
  readonly at: number
  readonly seconds: number
  readonly midi: number
  readonly level: number
}
interface Timbre {
  readonly partials: readonly number[]
  readonly rise: number
  readonly decay: number
  readonly vibrato: number
  readonly breath: number
}

function timbre(random: Random, sustained: boolean): Timbre {
  const tilt = 0.6 + 1.4 * random()
  const odd = random() < 0.3
  return {
    partials: Array.from(
      { length: 4 + Math.floor(12 * random()) },
      (_, n) => (odd && n % 2 === 1 ? 0.15 : 1) / (n + 1) ** tilt,
    ),
    rise: sustained ? 0.02 + 0.15 * random() : 0.002 + 0.006 * random(),
    decay: sustained ? 20 : 0.25 + 0.8 * random(),
    vibrato: sustained && random() < 0.4 ? 0.15 + 0.25 * random() : 0,
    breath: random() < 0.4 ? 0.03 * random() : 0,
  }
}

function play(seconds: number, tones: readonly Tone[], t: Timbre, random: Random): Float32Array {
  const out = new Float32Array(Math.round(seconds * RATE))
  for (const tone of tones) {
    const start = Math.round(tone.at * RATE)
    const end = Math.min(out.length, Math.round((tone.at + tone.seconds) * RATE))
    const f = hz(tone.midi)
    const phases = t.partials.map(() => random())
    const count = t.partials.filter((_, n) => f * (n + 1) < 15_000).length
    // pointers that turn, turned faster and slower for vibrato: a sine for every sample would take most of the tests' time
    const xs = Float64Array.from({ length: count }, (_, n) => Math.cos(2 * Math.PI * (phases[n] as number)))
    const ys = Float64Array.from({ length: count }, (_, n) => Math.sin(2 * Math.PI * (phases[n] as number)))
    const re = new Float64Array(count)
    const im = new Float64Array(count)
    for (let i = start; i < end; i++) {
      const s = (i - start) / RATE
      if ((i - start) % 64 === 0 && (t.vibrato > 0 || i === start)) {
        const now = f * 2 ** ((t.vibrato * Math.sin(2 * Math.PI * 5.3 * s)) / 12)
        for (let n = 0; n < count; n++) {
          re[n] = Math.cos((2 * Math.PI * now * (n + 1)) / RATE)
          im[n] = Math.sin((2 * Math.PI * now * (n + 1)) / RATE)
        }
      }
      let sum = 0
      for (let n = 0; n < count; n++) {
        const x = xs[n] as number
        const y = ys[n] as number
        sum += (t.partials[n] as number) * y
        xs[n] = x * (re[n] as number) - y * (im[n] as number)
        ys[n] = x * (im[n] as number) + y * (re[n] as number)
      }
      const shape = Math.min(1, s / t.rise, (end - i) / (0.02 * RATE)) * Math.exp(-s / t.decay)
      out[i] = (out[i] as number) + tone.level * shape * (sum + t.breath * (2 * random() - 1))
    }
  }
  return out
}

const SCALES = { major: [0, 2, 4, 5, 7, 9, 11], minor: [0, 2, 3, 5, 7, 8, 10] } as const
/** degrees of chords that say where home is */
const CADENCES = [
  [0, 3, 4, 0],
  [0, 5, 3, 4],
  [0, 4, 0, 3],
  [0, 3, 0, 4],
] as const

function tune(random: Random, seconds: number, mode: 'major' | 'minor', root: number, legato: number): Tone[] {
  const scale = SCALES[mode]
  const tones: Tone[] = []
  const base = 36 + root + 12 * Math.floor(3 * random())
  let at = 0
  let degree = 0
  const walk = [0, 2, 4, 2, 0, 4, 3, 1]
  for (let n = 0; at < seconds - 0.1; n++) {
    const length = [0.25, 0.25, 0.5, 0.5, 0.75][Math.floor(5 * random())] as number
    degree = random() < 0.6 ? (walk[n % walk.length] as number) : Math.floor(7 * random())
    const midi = base + (scale[degree] as number)
    tones.push({ at, seconds: Math.min(seconds - at, length * legato), midi, level: 0.7 + 0.3 * random() })
    at += length
  }
  const last = tones.at(-1) as Tone
  tones[tones.length - 1] = { ...last, midi: base }
  return tones
}

function progression(random: Random, seconds: number, mode: 'major' | 'minor', root: number, strikes: number): Tone[] {
  const scale = SCALES[mode]
  const degrees = CADENCES[Math.floor(CADENCES.length * random())] as readonly number[]
  const each = seconds / degrees.length
  const base = 48 + root
  return degrees.flatMap((degree, n) =>
    Array.from({ length: strikes }, (_, k) => k).flatMap((k) =>
      [0, 2, 4, ...(random() < 0.3 ? [7] : [])].map((third, v) => {
        const step = degree + third
        const midi = base + (scale[step % 7] as number) + 12 * Math.floor(step / 7) - (v === 0 ? 12 : 0)
        return {
          at: n * each + (k * each) / strikes,
          seconds: each / strikes + 0.05,
          midi,
          level: 0.45 + 0.1 * random(),
        }
      }),
    ),
  )
}

function hiss(random: Random, seconds: number): Float32Array {
  const out = new Float32Array(Math.round(seconds * RATE))
  const cut = 0.05 + 0.9 * random()
  const high = random() < 0.5
  const wave = 0.3 * random()
  const rate = 0.1 + 0.4 * random()
  let low = 0
  let lower = 0
  for (let i = 0; i < out.length; i++) {
    const x = 2 * random() - 1
    low += cut * (x - low)
    lower += 0.02 * (low - lower)
    out[i] = (high ? x - low + 0.3 * low : low - lower) * (1 + wave * Math.sin((2 * Math.PI * rate * i) / RATE))
  }
  const drops = random() < 0.5 ? Math.round(seconds * (20 + 100 * random())) : 0
  for (let n = 0; n < drops; n++) {
    const at = Math.floor(random() * out.length)
    const f = 1500 + 5000 * random()
    const level = 0.5 * random() ** 3
    for (let i = at; i < Math.min(out.length, at + 1500); i++) {
      const s = (i - at) / RATE
      out[i] = (out[i] as number) + level * Math.sin(2 * Math.PI * f * s) * Math.exp(-s / 0.006)
    }
  }
  return out
}

/** Struck wood, skin and metal in no steady time. */
function struckThings(random: Random, seconds: number): Float32Array {
  const out = new Float32Array(Math.round(seconds * RATE))
  const ring = 0.03 + 0.25 * random()
  const bodies = [1, 1.6, 2.4].map((ratio) => (70 + 300 * random()) * ratio)
  let at = 0.02
  while (at < seconds - 0.15) {
    const f = (bodies[Math.floor(3 * random())] as number) * (1 + 0.02 * random())
    const hit =
      random() < 0.35
        ? burst(random, {
            seconds: 0.12,
            hz: 1500 + 4000 * random(),
            q: 2 + 4 * random(),
            decay: 0.008 + 0.02 * random(),
          })
        : struck(random, {
            seconds: 0.6,
            thump: 2 * random(),
            modes: [1, 1.59, 2.76, 5.4].map((ratio, n) => ({
              hz: f * ratio,
              level: 0.8 / (n + 1),
              decay: ring / (n + 1),
            })),
          })
    const start = Math.round(at * RATE)
    const level = 0.3 + 0.7 * random()
    for (let i = 0; i < hit.length && start + i < out.length; i++)
      out[start + i] = (out[start + i] as number) + level * (hit[i] as number)
    at += [0.15, 0.25, 0.25, 0.5][Math.floor(4 * random())] as number
  }
  return out
}

const LINES = [
  'D@ taId w@z lou _ and nau It kamz bak In _ lIs@n',
  'lIs@n fo D@ bel _ and kaunt D@ aw@z',
  'nau D@ bel Iz lou _ and D@ taId kamz In',
]

function speech(random: Random): Float32Array {
  return speak(LINES[Math.floor(LINES.length * random())] as string, 90 + 130 * random(), random).samples
}

/** Cries that swoop. */
function cries(random: Random, seconds: number): Float32Array {
  const out = new Float32Array(Math.round(seconds * RATE))
  let at = 0.05
  while (at < seconds - 0.6) {
    const length = Math.min(seconds - at, 0.4 + 0.9 * random())
    const top = 250 + 1100 * random()
    const bend = 0.2 + 0.4 * random()
    const cry = reed({
      seconds: length,
      hzAt: (t) => top * (1 - bend * Math.abs(t / length - 0.3)),
      partials: [1, 0.7, 0.5, 0.24, 0.16],
      riseSeconds: 0.05,
      fallSeconds: 0.15,
      waver: 0.08,
    })
    const start = Math.round(at * RATE)
    for (let i = 0; i < cry.length && start + i < out.length; i++) out[start + i] = cry[i] as number
    at += length + 0.3 * random()
  }
  return out
}

/** The same in a room, one time in two. */
function roomy(random: Random, samples: Float32Array): Float32Array {
  if (random() < 0.5) return samples
  const mix = createMix(samples.length / RATE, Math.floor(1e6 * random()))
  place(mix, samples, 0, 1, 0, 0.35)
  addRoom(mix, { seconds: 0.4 + 1.3 * random(), level: 0.03 + 0.05 * random(), size: 0.8 + random() })
  return mix.left
}

const rms = (x: Float32Array) => Math.sqrt(x.reduce((sum, v) => sum + v * v, 0) / x.length)

/** Parts at levels relative to one another, dB, normalised. */
function mix(parts: readonly (readonly [Float32Array, number])[]): AudioBlock {
  const length = Math.min(...parts.map(([p]) => p.length))
  const out = new Float32Array(length)
  for (const [part, db] of parts) {
    const gain = 10 ** (db / 20) / Math.max(1e-9, rms(part))
    for (let i = 0; i < length; i++) out[i] = (out[i] as number) + gain * (part[i] as number)
  }
  const peak = out.reduce((m, v) => Math.max(m, Math.abs(v)), 1e-9)
  return { sampleRate: RATE, channels: [out.map((v) => (0.8 * v) / peak)] }
}

/** `each` items of every kind. */
export function materialSet(seed: number, each: number): MaterialItem[] {
  const items: MaterialItem[] = []
  for (let n = 0; n < each; n++) {
    const random = createRandom(7919 * seed + n)
    const seconds = 3 + 3 * random()
    const mode = random() < 0.5 ? 'major' : 'minor'
    const root = Math.floor(12 * random())
    const key = { root, mode } as const
    const style = drums[n % drums.length] as LoopStyle
    const loop = () =>
      makeLoop({ seed: seed * 31 + n, style, bpm: 70 + 90 * random(), bars: 3 }).audio.channels[0] as Float32Array
    const sustained = random() < 0.6
    const line = () =>
      play(seconds, tune(random, seconds, mode, root, 0.7 + 0.35 * random()), timbre(random, sustained), random)
    const pad = () =>
      play(seconds, progression(random, seconds, mode, root, sustained ? 1 : 2), timbre(random, sustained), random)
    const bass = () =>
      play(
        seconds,
        tune(random, seconds, mode, root, 0.8).map((t) => ({ ...t, midi: 28 + ((t.midi - 28) % 12) })),
        timbre(random, false),
        random,
      )
    const part = (kind: MaterialItem['kind'], audio: AudioBlock, tuned = false) =>
      items.push({ name: `${kind} #${seed}.${n}`, kind, audio, ...(tuned && { key }) })
    const hits = () => (n % 3 === 2 ? struckThings(random, seconds) : loop())
    const voiced = n % 4
    part('hits', mix([[roomy(random, hits()), 0]]))
    if (voiced === 1) part('single line', mix([[roomy(random, speech(random)), 0]]))
    else if (voiced === 3 && n % 8 === 3) part('single line', mix([[roomy(random, cries(random, seconds)), 0]]))
    else part('single line', mix([[roomy(random, line()), 0]]), true)
    part('chords', mix([[roomy(random, pad()), 0]]), true)
    part('noise', mix([[roomy(random, hiss(random, seconds)), 0]]))
    const beds: [Float32Array, number][] = [
      [loop(), 0],
      [pad(), -4 + 8 * random()],
    ]
    if (n % 3 > 0) beds.push([bass(), -6 + 6 * random()])
    part('dense mix', mix(beds), true)
    const doubtful = n % 3
    if (doubtful === 0)
      part(
        'unsure',
        mix([
          [line(), 0],
          [hiss(random, seconds), -3 + 4 * random()],
        ]),
      )
    else if (doubtful === 1)
      part(
        'unsure',
        mix([
          [speech(random), 0],
          [loop(), -2 + 4 * random()],
        ]),
      )
    else
      part(
        'unsure',
        mix([
          [hits(), 0],
          [hiss(random, seconds), -4 + 4 * random()],
        ]),
      )
  }
  return items
}
