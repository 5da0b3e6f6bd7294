import { type Analysis, analyseTask } from '../analysis/analysis'
import type { Attack } from '../analysis/attacks'
import { mixReader } from '../analysis/mix'
import type { PitchTrack } from '../analysis/pitchTrack'
import { partAround, type SoundSource } from '../audio/soundSource'
import { exp, ln } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { columnReader } from '../kernels/columns'
import { partOf, type Task } from '../task'
import { SPEED_RANGE, type SpeedPoint } from './speedCurve'

/**
 * Speech pacing. Nobody who speaks slowly slows every sound alike: vowels and pauses give way, consonants and the
 * starts of sounds keep nearly their length.
 * Source  Covell, Withgott & Slaney 1998, "Mach1: Nonuniform Time-Scale Modification of Speech", for pacing by local
 *         emphasis and spectral change; Demol, Verhelst, Struyve & Verhoeve 2005, "Efficient Non-Uniform Time-Scaling
 *         of Speech with WSOLA", for what gives way by kind of sound.
 */

/**
 * How far the sound gives way, step by step from its first frame: 0 keeps its length, 100 is a held vowel or a pause.
 */
export interface Giving {
  readonly stepSeconds: number
  readonly percent: readonly number[]
}

const STEP_SECONDS = 0.01
const WINDOW_SECONDS = 0.02
/** bands whose levels are compared */
const BANDS = 18
const LOWEST_HZ = 120
const HIGHEST_HZ = 7500
/** a band is looked at down to this far below the loudest of its column, dB */
const DEPTH_DB = 45
/** steps on either side between which the spectrum's change is taken */
const REACH_STEPS = 2
/**
 * a change of so many dB a band is a steady vowel still; so many more, and it is a passage from one sound to the next
 */
const STEADY_DB = 3
const PASSAGE_DB = 8
const PASSAGE_GIVES = 0.3
/** a period this clear is a voice */
const VOICED_FROM = 0.6
/** what is voiced and so far below what is loud around it is a consonant, dB */
const VOWEL_BELOW_DB = 6
const CONSONANT_BELOW_DB = 16
const CONSONANT_GIVES = 0.35
const UNVOICED_GIVES = 0.12
const AROUND_SECONDS = 0.3
/** silence is so far below what is loud in all; shorter silence belongs to a consonant */
const SILENT_BELOW_DB = 34
const LEAST_PAUSE_SECONDS = 0.13
/** what is held around the start of a sound */
const BEFORE_ATTACK_SECONDS = 0.015
const BEHIND_ATTACK_SECONDS = 0.035
const SMOOTH_STEPS = 2
/** share of the work that is attacks and pitch */
const ANALYSING = 0.8
/** steps whose sound is asked for at once; an even count */
const AT_ONCE = 200

interface Columns {
  /** of each step, dB */
  readonly levels: Float32Array
  /** of each step and band, dB */
  readonly bands: Float32Array
}

/** What a sound's moments give, by its spectra, attacks and pitch. Attacks and pitch are found if not known. */
export function* givingTask(source: SoundSource, known: Analysis = {}): Task<Giving> {
  const { attacks = [], pitch } = yield* partOf(analyseTask(source, ['attacks', 'pitch'], known), 0, ANALYSING)
  return yield* partOf(givingOf(source, attacks, pitch as PitchTrack), ANALYSING, 1)
}

function* givingOf(source: SoundSource, attacks: readonly Attack[], pitch: PitchTrack): Task<Giving> {
  const { levels, bands } = yield* columnsOf(source)
  const steps = levels.length
  const loud = [...levels].sort((a, b) => a - b)[Math.floor(0.95 * (steps - 1))] ?? 0
  const around = highestAround(levels, Math.round(AROUND_SECONDS / STEP_SECONDS))
  const pauses = longRuns(levels, loud - SILENT_BELOW_DB, Math.round(LEAST_PAUSE_SECONDS / STEP_SECONDS))
  const stepFrames = STEP_SECONDS * source.sampleRate
  const gives = Float64Array.from({ length: steps }, (_, n) => {
    if (pauses[n]) return 1
    if ((levels[n] as number) < loud - SILENT_BELOW_DB) return UNVOICED_GIVES
    const at = Math.round((n * stepFrames) / pitch.hopFrames)
    if (!((pitch.clarity[at] ?? 0) >= VOICED_FROM && (pitch.hz[at] ?? 0) > 0)) return UNVOICED_GIVES
    const below = (around[n] as number) - (levels[n] as number)
    const vowel = falling(below, VOWEL_BELOW_DB, CONSONANT_BELOW_DB)
    const steady = falling(changeAt(bands, n, steps), STEADY_DB, PASSAGE_DB)
    return (CONSONANT_GIVES + (1 - CONSONANT_GIVES) * vowel) * (PASSAGE_GIVES + (1 - PASSAGE_GIVES) * steady)
  })
  for (const { frame } of attacks) {
    const seconds = frame / source.sampleRate
    const from = Math.max(0, Math.floor((seconds - BEFORE_ATTACK_SECONDS) / STEP_SECONDS))
    const to = Math.min(steps - 1, Math.ceil((seconds + BEHIND_ATTACK_SECONDS) / STEP_SECONDS))
    for (let n = from; n <= to; n++) gives[n] = 0
  }
  return { stepSeconds: STEP_SECONDS, percent: smoothed(gives).map((value) => Math.round(100 * value)) }
}

/** 1 up to `low`, 0 from `high` on. */
const falling = (value: number, low: number, high: number) => Math.max(0, Math.min(1, (high - value) / (high - low)))

function* columnsOf(source: SoundSource): Task<Columns> {
  const { sampleRate, frames } = source
  const hop = STEP_SECONDS * sampleRate
  const size = nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 128)
  const reader = columnReader(size)
  const column = () => new Float32Array(size / 2 + 1)
  const pair = { left: column(), right: column(), crossRe: column(), crossIm: column() }
  const mixOf = mixReader(source)
  const steps = Math.max(1, Math.ceil(frames / hop))
  const levels = new Float32Array(steps)
  const bands = new Float32Array(steps * BANDS)
  const top = Math.min(HIGHEST_HZ, 0.45 * sampleRate)
  const edges = Array.from({ length: BANDS + 1 }, (_, b) =>
    Math.round((LOWEST_HZ * exp((b / BANDS) * ln(top / LOWEST_HZ)) * size) / sampleRate),
  )
  const put = (n: number, power: Float32Array) => {
    let total = 0
    for (let b = 0; b < BANDS; b++) {
      const [from, to] = [edges[b] as number, Math.max((edges[b] as number) + 1, edges[b + 1] as number)]
      let sum = 0
      for (let k = from; k < to; k++) sum += power[k] as number
      total += sum
      bands[n * BANDS + b] = decibels(sum / (to - from))
    }
    levels[n] = decibels(total)
  }
  const placeOf = (n: number) => Math.round(n * hop) - (size >> 1)
  for (let first = 0; first < steps; first += AT_ONCE) {
    const end = Math.min(steps, first + AT_ONCE)
    const { start, audio } = partAround(source, placeOf(first), placeOf(end) + size)
    const mix = mixOf(audio)
    for (let n = first; n < end; n += 2) {
      reader.cross(pair, mix, placeOf(n) - start, mix, placeOf(n + 1) - start)
      put(n, pair.left)
      if (n + 1 < steps) put(n + 1, pair.right)
    }
    yield { doneFrames: Math.min(frames, Math.round(end * hop)), totalFrames: frames }
  }
  return { levels, bands }
}

const decibels = (power: number) => (10 / Math.LN10) * ln(power + 1e-12)

/**
 * How far the spectrum moves over two steps to either side, dB a band, mean over the bands that are heard; its level
 * apart.
 */
function changeAt(bands: Float32Array, n: number, steps: number): number {
  const before = Math.max(0, n - REACH_STEPS) * BANDS
  const behind = Math.min(steps - 1, n + REACH_STEPS) * BANDS
  let loudest = Number.NEGATIVE_INFINITY
  for (let b = 0; b < BANDS; b++) loudest = Math.max(loudest, bands[before + b] as number, bands[behind + b] as number)
  const least = loudest - DEPTH_DB
  let sum = 0
  let mean = 0
  const moves = Array.from({ length: BANDS }, (_, b) => {
    const move = Math.max(least, bands[behind + b] as number) - Math.max(least, bands[before + b] as number)
    mean += move / BANDS
    return move
  })
  for (const move of moves) sum += Math.abs(move - mean)
  return sum / BANDS
}

function highestAround(levels: Float32Array, reach: number): Float32Array {
  return levels.map((_, n) => {
    let most = Number.NEGATIVE_INFINITY
    for (let i = Math.max(0, n - reach); i <= Math.min(levels.length - 1, n + reach); i++)
      most = Math.max(most, levels[i] as number)
    return most
  })
}

/** Which steps lie in runs of at least so many below a level. */
function longRuns(levels: Float32Array, below: number, least: number): boolean[] {
  const found = new Array<boolean>(levels.length).fill(false)
  for (let n = 0; n < levels.length; n++) {
    const first = n
    while (n < levels.length && (levels[n] as number) < below) n++
    // a pause begins where what was said has died away, and ends where the next sound is to come
    if (n - first >= least) found.fill(true, first === 0 ? 0 : first + 2, n === levels.length ? n : n - 2)
  }
  return found
}

function smoothed(values: Float64Array): number[] {
  return Array.from(values, (_, n) => {
    let sum = 0
    let weight = 0
    for (let i = -SMOOTH_STEPS; i <= SMOOTH_STEPS; i++) {
      const value = values[n + i]
      if (value === undefined) continue
      const own = SMOOTH_STEPS + 1 - Math.abs(i)
      sum += own * value
      weight += own
    }
    return sum / weight
  })
}

/** how far a step that keeps its length gives way all the same: what is around it moves as well */
const LEAST_SHARE = 0.03
const ROUNDS = 60
const MOST_POWER = 1024
const LENGTH_ROUNDS = 12
const STRETCH_DIGITS = 3
/** more would leave hands no room */
const MOST_POINTS = 600
/** of the local stretch, as a share: what points may leave out; more where there would be too many */
const FIRST_TOLERANCE = 0.03

/**
 * The speed curve by which a sound is paced, so that the whole stays as long as it is: what is stretched by `stretch`
 * afterwards comes to that stretch on the whole. Each moment is stretched by a power of it, more where it gives more.
 * @param percent  0–100; 0 stretches every moment alike.
 * @returns points over the source's seconds, rising; none where nothing is to be paced.
 */
export function pacedSpeed(giving: Giving, seconds: number, stretch: number, percent: number): SpeedPoint[] {
  const { stepSeconds } = giving
  const count = Math.max(1, Math.floor(seconds / stepSeconds))
  if (percent <= 0 || Math.abs(stretch - 1) < 1e-3 || seconds < 2 * stepSeconds) return []
  const share = percent / 100
  const weights = Float64Array.from({ length: count }, (_, n) => {
    const gives = Math.max(LEAST_SHARE, (giving.percent[n] ?? 50) / 100)
    return 1 - share + share * gives
  })
  // a hair more or less, as the length is made up for, draws the same curve
  const ratios = localStretches(weights, Number(stretch.toPrecision(STRETCH_DIGITS)))
  for (let tolerance = FIRST_TOLERANCE; ; tolerance *= 1.5) {
    const knots = simplified(ratios, tolerance)
    if (knots.length <= MOST_POINTS) return ofLength(pointsAt(knots, ratios, stepSeconds), seconds)
  }
}

/**
 * Result ÷ source of each step over that of the whole: powers of the stretch, as far as speeds go, whose mean is 1.
 * The least of them where none is.
 */
function localStretches(weights: Float64Array, stretch: number): Float64Array {
  // a little within what a curve may hold: all speeds are set by one factor in the end
  const [least, most] = [105 / SPEED_RANGE.max, 95 / SPEED_RANGE.min]
  const at = (power: number) =>
    weights.map((weight) => Math.max(least, Math.min(most, exp((power * weight - 1) * ln(stretch)))))
  const meanOf = (values: Float64Array) => values.reduce((sum, value) => sum + value, 0) / values.length
  // for a stretch below 1 a greater power is a shorter result
  const isLow = (power: number) => (stretch > 1 ? meanOf(at(power)) < 1 : meanOf(at(power)) > 1)
  let low = 0
  let high = 1
  while (isLow(high) && high < MOST_POWER) high *= 2
  for (let n = 0; n < ROUNDS; n++) {
    const middle = (low + high) / 2
    if (isLow(middle)) low = middle
    else high = middle
  }
  return at(high)
}

/**
 * The steps that have to be points, so that straight lines between them stay near all others (Ramer 1972; Douglas &
 * Peucker 1973).
 */
function simplified(ratios: Float64Array, tolerance: number): number[] {
  const logs = ratios.map(ln)
  const keep = new Uint8Array(ratios.length)
  keep[0] = 1
  keep[ratios.length - 1] = 1
  const spans: [number, number][] = [[0, ratios.length - 1]]
  while (spans.length > 0) {
    const [from, to] = spans.pop() as [number, number]
    let farthest = -1
    let most = tolerance
    for (let n = from + 1; n < to; n++) {
      const line = (logs[from] as number) + (((logs[to] as number) - (logs[from] as number)) * (n - from)) / (to - from)
      const off = Math.abs((logs[n] as number) - line)
      if (off > most) {
        most = off
        farthest = n
      }
    }
    if (farthest < 0) continue
    keep[farthest] = 1
    spans.push([from, farthest], [farthest, to])
  }
  return Array.from(keep.keys()).filter((n) => keep[n])
}

const pointsAt = (knots: readonly number[], ratios: Float64Array, stepSeconds: number): SpeedPoint[] =>
  knots.map((n) => ({ seconds: (n + 0.5) * stepSeconds, percent: 100 / (ratios[n] as number) }))

/**
 * All speeds by one factor, so that the curve takes just as long as the sound; those at the ends of their range stay
 * there.
 */
function ofLength(points: readonly SpeedPoint[], seconds: number): SpeedPoint[] {
  const within = (percent: number) => Math.max(SPEED_RANGE.min, Math.min(SPEED_RANGE.max, percent))
  let own = [...points]
  for (let n = 0; n < LENGTH_ROUNDS; n++) {
    const factor = secondsTaken(own, seconds) / seconds
    own = own.map((point) => ({ ...point, percent: within(point.percent * factor) }))
  }
  return own
}

function secondsTaken(points: readonly SpeedPoint[], seconds: number): number {
  const [first, last] = [points[0], points.at(-1)] as [SpeedPoint, SpeedPoint]
  // before the first and behind the last it goes on as there
  const around = (100 * first.seconds) / first.percent + (100 * (seconds - last.seconds)) / last.percent
  return points.slice(1).reduce((sum, point, n) => {
    const before = points[n] as SpeedPoint
    return sum + (200 * (point.seconds - before.seconds)) / (before.percent + point.percent)
  }, around)
}
