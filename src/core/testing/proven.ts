import { type AudioBlock, frameCount } from '../audio/block'
import { createRandom } from '../dsp/random'
import type { ArtefactId } from '../measure/artefacts'
import { measureTask } from '../measure/measure'
import { readSource } from '../measure/sourceReading'
import { finish } from '../task'
import { straightMap } from '../timeline/timeMap'
import * as damage from './damage'
import * as plain from './plain'
import { noise } from './signals'

/**
 * Harm that is proven twice: done on purpose in a known size, and found again by a plain calculation.
 * That calculation shares no code with the measures. Their figures must follow it, in order and in size.
 */
export interface ProvenCase {
  readonly id: ArtefactId
  readonly material: string
  /** how much longer the results are than the source */
  readonly stretch: number
  /** what the plain calculation finds, in the unit of the kind */
  readonly sizes: readonly { readonly result: AudioBlock; readonly plain: number }[]
  readonly source: AudioBlock
  /** how far a figure may lie from the plain one: so much, or such a share of it, whichever is more */
  readonly within: { readonly amount: number; readonly share: number }
}

const RATE = 48_000
const TAU = 2 * Math.PI
const SECONDS = 4

const mono = (samples: Float32Array): AudioBlock => ({ sampleRate: RATE, channels: [samples] })
const fill = (seconds: number, value: (t: number, i: number) => number): Float32Array =>
  Float32Array.from({ length: Math.round(seconds * RATE) }, (_, i) => value(i / RATE, i))
const sumOf = (a: AudioBlock, b: Float32Array): AudioBlock => mono(plain.first(a).map((v, i) => v + (b[i] as number)))
const rmsOf = (samples: Float32Array) => Math.sqrt(plain.energy(samples) / samples.length)

const CHORD_HZ = [220, 331, 441.5, 587] as const

interface Tones {
  readonly seconds?: number
  /** seconds in which they die away */
  readonly decay?: number
  readonly level?: (t: number) => number
  readonly cents?: number
}

/** Four tones that hold, or die away. */
function tones({ seconds = SECONDS, decay = Number.POSITIVE_INFINITY, level = () => 1, cents = 0 }: Tones = {}) {
  return mono(
    fill(seconds, (t) => {
      let sum = 0
      for (const [k, hz] of CHORD_HZ.entries()) sum += Math.sin(TAU * hz * 2 ** (cents / 1200) * t + k) / (k + 1)
      return 0.3 * sum * level(t) * Math.exp(-t / decay) * Math.min(1, t / 0.1, (seconds - t) / 0.1)
    }),
  )
}

const STARTS = [0.3, 0.8, 1.35, 1.7, 2.3, 2.75, 3.4, 3.9] as const

/** Sounds laid one after the other, each moved by some milliseconds and drawn by a seed of its own. */
function row(moved: (n: number) => number, sound: (random: () => number) => (t: number) => number): AudioBlock {
  const out = new Float32Array(Math.round(4.5 * RATE))
  STARTS.forEach((start, n) => {
    const valueAt = sound(createRandom(n + 1))
    const first = Math.round((start + moved(n) / 1000) * RATE)
    for (let i = 0; i < 0.25 * RATE && first + i < out.length; i++)
      out[first + i] = (out[first + i] as number) + valueAt(i / RATE)
  })
  return mono(out)
}

const still = () => 0

/** Hits of wood and noise. */
const hits = (moved: (n: number) => number = still) =>
  row(moved, (random) => (t) => {
    const wood = 0.4 * Math.exp(-t / 0.03) * Math.sin(TAU * 700 * t)
    return wood + 0.6 * Math.exp(-t / 0.004) * (2 * random() - 1)
  })

/** Hits of noise alone, whose edge spreads: a share of its energy comes over the 20 ms behind it. */
const spreadHits = (share: number) =>
  row(still, (random) => (t) => {
    const value = 2 * random() - 1
    const late = t > 0.004 && t < 0.024 ? Math.sqrt(share * (0.003 / 2 / 0.02)) * value : 0
    return 0.6 * (Math.sqrt(1 - share) * Math.exp(-t / 0.003) * value + late)
  })

/** Noise in the 30 ms before each hit, so many dB under its loudest. */
function swellBefore(audio: AudioBlock, db: number): AudioBlock {
  const random = createRandom(77)
  const out = plain.first(audio).slice()
  for (const start of STARTS)
    for (let i = Math.round((start - 0.03) * RATE); i < start * RATE - 60; i++)
      out[i] = (out[i] as number) + 0.6 * 10 ** (db / 20) * (2 * random() - 1)
  return mono(out)
}

const stereoNoise = () => {
  const audio = noise({ seconds: SECONDS, seed: 9, channels: 2 })
  return { ...audio, channels: audio.channels.map((samples) => samples.map((v) => 0.3 * v)) }
}

/** Four tones, each at a place of its own between left and right. */
function wideTones(lean: number): AudioBlock {
  const channel = (c: 0 | 1) =>
    fill(SECONDS, (t) => {
      let sum = 0
      for (const [k, hz] of CHORD_HZ.entries()) {
        const place = (k + 0.5) / CHORD_HZ.length
        sum += 0.15 * Math.sqrt(c === 0 ? 1 - place : place) * Math.sin(TAU * hz * t + k)
      }
      return sum
    })
  return damage.lean({ sampleRate: RATE, channels: [channel(0), channel(1)] }, lean)
}

const AGAIN_FRAMES = Math.round(0.06 * RATE)

/** Noise of which every second piece of 60 ms is the one before, in a share of its energy. */
function repeated(audio: AudioBlock, share: number): AudioBlock {
  return {
    ...audio,
    channels: audio.channels.map((samples) =>
      samples.map((v, i) => {
        if (Math.floor(i / AGAIN_FRAMES) % 2 === 0) return v
        return Math.sqrt(1 - share) * v + Math.sqrt(share) * (samples[i - AGAIN_FRAMES] as number)
      }),
    ),
  }
}

/** Noise that is dull: a low-pass of one pole over white noise. */
const dullNoise = (seconds: number, seed: number, hz: number) => damage.dull(noise({ seconds, seed }), hz)

const VOICE_HZ = 110
const FORMANTS_HZ = [620, 1380, 2550] as const

/** A held vowel whose formants lie some percent higher than they did. */
function vowel(percent: number): AudioBlock {
  const harmonics = Array.from({ length: Math.floor(5000 / VOICE_HZ) }, (_, n) => {
    const hz = (n + 1) * VOICE_HZ
    let level = 0.01
    for (const [k, formant] of FORMANTS_HZ.entries()) {
      const middle = formant * (1 + percent / 100)
      level += 1 / (k + 1) / (1 + ((hz - middle) / (60 + 20 * k)) ** 2)
    }
    return { hz, level }
  })
  return mono(
    fill(SECONDS, (t) => {
      let sum = 0
      for (const [n, { hz, level }] of harmonics.entries()) sum += level * Math.sin(TAU * hz * t + n * n)
      return 0.1 * sum * Math.min(1, t / 0.05, (SECONDS - t) / 0.05)
    }),
  )
}

const LINE_HZ = 200

/** One held tone with noise beside it, so many dB under it. */
function noisyLine(db: number): AudioBlock {
  const line = fill(SECONDS, (t) => {
    let sum = 0
    for (let k = 1; k <= 12; k++) sum += Math.sin(TAU * k * LINE_HZ * t + k * k) / k
    return 0.2 * sum * Math.min(1, t / 0.05, (SECONDS - t) / 0.05)
  })
  const beside = plain.first(dullNoise(SECONDS, 4, 3000))
  const scale = (10 ** (db / 20) * rmsOf(line)) / rmsOf(beside)
  return sumOf(
    mono(line),
    beside.map((v) => scale * v),
  )
}

const TESTED_BANDS_HZ = [100, 200, 400, 800, 1600, 3200, 6400, 10_000] as const

/** All that lies over 1 kHz, louder by so many dB: what a low-pass leaves out is added once more. */
function lifted(audio: AudioBlock, db: number): AudioBlock {
  const low = damage.dull(audio, 1000)
  return mono(plain.first(audio).map((v, i) => v + (10 ** (db / 20) - 1) * (v - (plain.first(low)[i] as number))))
}

type Sizes = ProvenCase['sizes']

/** A case whose results are as long as the source. */
const provenCase = (
  id: ArtefactId,
  material: string,
  source: AudioBlock,
  sizes: Sizes,
  amount: number,
  share: number,
): ProvenCase => ({ id, material, stretch: 1, source, sizes, within: { amount, share } })

/** Each size of a harm: its result, and what the plain calculation says of it. */
const each = <T>(sizes: readonly T[], make: (size: T) => AudioBlock, says: (result: AudioBlock) => number): Sizes =>
  sizes.map((size) => {
    const result = make(size)
    return { result, plain: says(result) }
  })

const level = (material: string, source: AudioBlock) =>
  provenCase(
    'level',
    material,
    source,
    each(
      [-1.5, -4, -9],
      (db) => damage.gain(source, db),
      (result) => Math.abs(10 * Math.log10(plain.energy(plain.first(result)) / plain.energy(plain.first(source)))),
    ),
    0.2,
    0.05,
  )

function flutter(material: string, decay: number, stretch: number, long = SECONDS): ProvenCase {
  const seconds = long * stretch
  const sizes = each(
    [0.08, 0.2, 0.45],
    (depth) => tones({ seconds, decay: decay * stretch, level: (t) => 1 + depth * Math.sin(TAU * 4 * t) }),
    (result) => plain.wobbleDb(result, CHORD_HZ[0], 0.5, Math.min(seconds - 0.5, 6)),
  )
  return { ...provenCase('flutter', material, tones({ seconds: long, decay }), sizes, 0.15, 0.3), stretch }
}

const aliasing = (material: string, source: AudioBlock, sizes: readonly number[]) =>
  provenCase(
    'aliasing',
    material,
    source,
    each(
      sizes,
      (db) => {
        const level = Math.SQRT2 * 10 ** (db / 20) * rmsOf(plain.first(source))
        return sumOf(
          source,
          fill((source.channels[0]?.length as number) / RATE, (t) => level * Math.sin(TAU * 9300 * t)),
        )
      },
      (result) => {
        const samples = plain.first(result)
        const tone = plain.tuned(samples, 9300, 2 * RATE, 0.5, RATE).level
        return 10 * Math.log10(tone ** 2 / 2 / rmsOf(samples) ** 2) + 80
      },
    ),
    2,
    0.05,
  )

function image(
  material: string,
  make: (db: number) => AudioBlock,
  moved: (result: AudioBlock, source: AudioBlock) => number,
): ProvenCase {
  const source = make(0)
  return provenCase(
    'image',
    material,
    source,
    each([2, 5, 10], make, (result) => moved(result, source)),
    1.5,
    0.08,
  )
}

/** @param begins  what begins beside the hits: tones that come in are an attack as well. */
const lostAttacks = (material: string, source: AudioBlock, begins: number, bed: (result: AudioBlock) => AudioBlock) =>
  provenCase(
    'lost-attacks',
    material,
    bed(source),
    [[2], [1, 3, 5]].map((lost) => {
      const bare = damage.loseAttacks(source, STARTS, lost)
      const gone = STARTS.filter((at) => plain.energy(plain.first(bare), at * RATE, (at + 0.1) * RATE) < 1e-6)
      return { result: bed(bare), plain: (100 * gone.length) / (STARTS.length + begins) }
    }),
    0.1,
    0,
  )

const extraAttacks = (material: string, source: AudioBlock, begins: number, bed: (result: AudioBlock) => AudioBlock) =>
  provenCase(
    'extra-attacks',
    material,
    bed(source),
    [[2], [1, 3, 5]].map((twice) => {
      const bare = damage.repeatAttacks(source, STARTS, twice, 0.11, 0.8)
      const rest = (audio: AudioBlock, at: number) =>
        plain.energy(plain.first(audio), (at + 0.105) * RATE, (at + 0.15) * RATE)
      const more = STARTS.filter((at) => rest(bare, at) > 4 * rest(source, at))
      return { result: bed(bare), plain: (100 * more.length) / (STARTS.length + begins) }
    }),
    0.1,
    0,
  )

const clicks = (material: string, source: AudioBlock) =>
  provenCase(
    'clicks',
    material,
    source,
    each(
      [1, 4],
      (count) => damage.clicks(source, count, 0.4),
      (result) => plain.jumps(plain.first(result), plain.first(source), 0.1),
    ),
    0,
    0,
  )

const balance = (material: string, source: AudioBlock) =>
  provenCase(
    'balance',
    material,
    source,
    each(
      [2, 5, 10],
      (db) => lifted(source, db),
      (result) => plain.bandsOffDb(result, source, TESTED_BANDS_HZ),
    ),
    0.3,
    0.3,
  )

const noiseColour = (material: string, source: AudioBlock) =>
  provenCase(
    'noise-colour',
    material,
    source,
    each(
      [0.5, 0.8],
      (share) => repeated(source, share),
      (result) => plain.againDb(plain.first(result), AGAIN_FRAMES),
    ),
    0.3,
    0.35,
  )

const meanOverStarts = (says: (seconds: number) => number) =>
  STARTS.reduce((sum, at) => sum + says(at) / STARTS.length, 0)

/** Made anew by each call: they take some seconds. */
export function provenCases(): ProvenCase[] {
  const chord = tones()
  const strokes = hits()
  const edges = spreadHits(0)
  const rain = stereoNoise()
  const wide = mono(plain.first(rain))
  const pink = dullNoise(SECONDS, 12, 600)
  const held = plain.first(tones({ seconds: 4.5 })).map((v) => 0.3 * v)
  const alone = (audio: AudioBlock) => audio
  const overTones = (audio: AudioBlock) => sumOf(audio, held)
  const between = plain.first(damage.dull(dullNoise(SECONDS, 3, 600), 600))
  const chordOverNoise = rmsOf(plain.first(chord)) / rmsOf(between)
  const bed = (db: number) =>
    sumOf(
      chord,
      between.map((v) => v * 10 ** (db / 20) * chordOverNoise),
    )
  const bedded = bed(-26)
  const line = noisyLine(-28)
  const said = vowel(0)
  const peaks = (audio: AudioBlock) => plain.peaksOfHarmonics(audio, VOICE_HZ, FORMANTS_HZ)
  return [
    level('tones', chord),
    level('hits', strokes),
    level('noise', wide),
    flutter('held tones', Number.POSITIVE_INFINITY, 1),
    flutter('tones that die away', 1.2, 1),
    flutter('held tones, 2 ×', Number.POSITIVE_INFINITY, 2),
    flutter('tones that die away, 10 ×', 1.2, 10, 2),
    provenCase(
      'detune',
      'tones',
      chord,
      each(
        [6, 14, 35],
        (cents) => tones({ cents }),
        (result) => plain.centsOff(result, CHORD_HZ[0]),
      ),
      1,
      0.08,
    ),
    provenCase(
      'phasiness',
      'tones',
      bedded,
      each(
        [-22, -18, -12],
        bed,
        (result) => 10 * Math.log10(plain.besideTones(result, CHORD_HZ) / plain.besideTones(bedded, CHORD_HZ)),
      ),
      1,
      0.25,
    ),
    provenCase(
      'phasiness',
      'one line',
      line,
      each([-25, -22, -16], noisyLine, (result) => {
        const beside = (audio: AudioBlock) => plain.newEachPeriod(audio, LINE_HZ, 1, 3)
        return 10 * Math.log10(beside(result) / beside(line))
      }),
      1,
      0.25,
    ),
    provenCase(
      'formant-shift',
      'a voice',
      said,
      each([5, 12, 25], vowel, (result) => {
        const before = peaks(said)
        return peaks(result).reduce((sum, hz, n) => sum + (100 * (hz / (before[n] as number) - 1)) / before.length, 0)
      }),
      1.5,
      0.2,
    ),
    provenCase(
      'slip',
      'hits',
      strokes,
      each(
        [5, 11, 22],
        (ms) => hits((n) => (n % 2 === 0 ? ms : 0)),
        (result) => {
          const off = STARTS.map((at) => plain.beginning(result, at + 0.01) - plain.beginning(strokes, at + 0.01))
          return plain.rms(off.map((frames) => (1000 * frames) / RATE))
        },
      ),
      1,
      0.12,
    ),
    provenCase(
      'smear',
      'hits, their edge spread',
      edges,
      each([0.3, 0.55, 0.75], spreadHits, (result) =>
        meanOverStarts((at) => plain.edgeDb(edges, at) - plain.edgeDb(result, at)),
      ),
      0.5,
      0.25,
    ),
    provenCase(
      'smear',
      'hits, heard before they come',
      edges,
      each(
        [-50, -43, -36],
        (db) => swellBefore(edges, db),
        (result) => meanOverStarts((at) => plain.beforeDb(result, at)),
      ),
      1,
      0.3,
    ),
    lostAttacks('hits', strokes, 0, alone),
    lostAttacks('hits over tones', strokes, 1, overTones),
    extraAttacks('hits', strokes, 0, alone),
    extraAttacks('hits over tones', strokes, 1, overTones),
    image(
      'noise',
      (db) => damage.lean(rain, db),
      (result, source) => Math.abs(plain.leftShare(result) - plain.leftShare(source)),
    ),
    image('tones', wideTones, (result, source) => plain.tonesMoved(result, source, CHORD_HZ)),
    clicks('tones', chord),
    clicks('noise', pink),
    aliasing('tones', chord, [-50, -40, -28]),
    aliasing('hits over tones', overTones(strokes), [-50, -40, -28]),
    balance('noise', wide),
    balance('dull noise', pink),
    noiseColour('noise', wide),
    noiseColour('dull noise', pink),
  ]
}

/** What the measures say of each size of a case. */
export function measuredSizes({ id, stretch, source, sizes }: ProvenCase): number[] {
  const reading = finish(readSource(source))
  const map = straightMap(frameCount(source), stretch)
  const one = () => 1
  return sizes.map(({ result }) => {
    const comparison = { source, result, from: 0, map, pitchRatioAt: one, formantRatioAt: one }
    const { artefacts } = finish(measureTask(comparison, reading))
    return artefacts.find((artefact) => artefact.id === id)?.value ?? Number.NaN
  })
}
