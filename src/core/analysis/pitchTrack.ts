import type { AudioBlock } from '../audio/block'
import { partAround, type SoundSource, soundSource } from '../audio/soundSource'
import { log2 } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { pairAutocorrelation } from '../kernels/autocorrelation'
import type { Task } from '../task'
import { mixReader } from './mix'

/** The pitch of a single line over time, at even steps from the first frame. */
export interface PitchTrack {
  readonly hopFrames: number
  /** fundamental in Hz, 0 where there is no pitch; `[columns]` */
  readonly hz: Float32Array
  /** how periodic the sound is there, 0–1; `[columns]` */
  readonly clarity: Float32Array
}

/** a step from one reading to the next, as a ratio, that no voice makes */
export const LEAP = 1.3

const STEP_SECONDS = 0.01
/** pitches that are looked for */
export const PITCH_HZ = { min: 40, max: 5000 } as const
/** a transform, of which the window takes so much; the rest is room for lags */
const LOOK_SECONDS = 0.0853
const WINDOW_SHARE = 0.7
/**
 * A glide is not periodic throughout a long window. Where that finds nothing clear, a quick one is asked as well,
 * a quarter as long. It holds few cycles, so it counts for less, and only where it is clear itself.
 */
const QUICK_SHARE = 1 / 4
const QUICK_COST = 0.1
const QUICK_CLEAR = 0.85
const CLEAR = 0.9
const CANDIDATES = 6
/** columns whose sound is asked for at once; an even count */
const AT_ONCE = 100
/** periodicity from which on a frame counts as pitched, and what changing one's mind costs */
const VOICED_FROM = 0.72
const TURN_COST = 0.25
const OCTAVE_COST = 0.9
/** candidates up to this cost are as good as voiced can be, but for what sets the best of them apart */
const CLEAR_COST = 1 - VOICED_FROM - 0.1
/** a longer period explains what a shorter one does: to win it has to be this much clearer per octave */
const SHORTNESS = 0.045
/** where that is nothing */
const SHORTNESS_FROM_HZ = 2000

interface Candidate {
  readonly hz: number
  readonly cost: number
  readonly clarity: number
}

/**
 * Follow the pitch of a single line: in each step the lags at which the normalised square difference is smallest are
 * candidates, and the cheapest path through them is the pitch.
 * Units  Hz; 40–5000.
 * Source  de Cheveigné & Kawahara 2002 for the difference function; McLeod & Wyvill 2005, "A smarter way to find pitch", for
 *         its normalisation; Mauch & Dixon 2014 for candidates joined by Viterbi decoding.
 */
export function* trackPitch(sound: AudioBlock | SoundSource): Task<PitchTrack> {
  const source = soundSource(sound)
  const { sampleRate, frames: totalFrames } = source
  const hopFrames = Math.max(1, Math.round(STEP_SECONDS * sampleRate))
  const columns = Math.ceil(totalFrames / hopFrames) + 1
  const mixOf = mixReader(source)
  const { candidatesAt, reach } = createPeriodFinder(sampleRate)
  const path = createPathFinder(columns)
  for (let first = 0; first < columns; first += AT_ONCE) {
    const end = Math.min(columns, first + AT_ONCE)
    const { start, audio } = partAround(source, first * hopFrames - reach, end * hopFrames + reach)
    const mix = mixOf(audio)
    for (let column = first; column < end; column += 2) {
      const at = column * hopFrames - start
      const [one, other] = candidatesAt(mix, at, at + hopFrames)
      path.add(one)
      if (column + 1 < columns) path.add(other)
    }
    yield { doneFrames: Math.min(totalFrames, end * hopFrames), totalFrames }
  }
  return { hopFrames, ...path.cheapest() }
}

/** Lay the frames from `start` on, without their mean; beyond the ends there is silence. Returns their energy. */
function load(target: Float64Array, mix: Float32Array, start: number): number {
  const window = target.length
  const from = Math.min(window, Math.max(0, -start))
  const to = Math.max(from, Math.min(window, mix.length - start))
  target.fill(0, 0, from)
  target.fill(0, to)
  if (to > from) target.set(mix.subarray(start + from, start + to), from)
  const mean = sumOf(target) / window
  let a = 0
  let b = 0
  let i = 0
  for (; i + 1 < window; i += 2) {
    const one = (target[i] as number) - mean
    const other = (target[i + 1] as number) - mean
    target[i] = one
    target[i + 1] = other
    a += one * one
    b += other * other
  }
  if (i < window) {
    const one = (target[i] as number) - mean
    target[i] = one
    a += one * one
  }
  return a + b
}

/** Four sums side by side: one would wait for itself. */
function sumOf(values: Float64Array): number {
  let a = 0
  let b = 0
  let c = 0
  let d = 0
  let i = 0
  for (; i + 3 < values.length; i += 4) {
    a += values[i] as number
    b += values[i + 1] as number
    c += values[i + 2] as number
    d += values[i + 3] as number
  }
  for (; i < values.length; i++) a += values[i] as number
  return a + b + (c + d)
}

/**
 * The square difference, normalised, of every second correlation over what of the samples still overlaps: into `nsdf[lag]`, up to one
 * behind `longest`. Into `peaks` go the lags of those that stand out, from `shortest` to `longest`, past the first fall below zero:
 * before it every lag looks like the signal itself. Returns how many there are.
 * Shape  `samples` as they were correlated, but for `energy`, which those are 1 of.
 */
function findPeaks(
  peaks: Int32Array,
  nsdf: Float64Array,
  correlations: Float32Array,
  part: 0 | 1,
  samples: Float64Array,
  energy: number,
  shortest: number,
  longest: number,
): number {
  const twice = 2 * energy
  const least = 1e-12 * energy
  let both = twice
  let count = 0
  let fell = false
  let left = 1
  let middle = 1
  nsdf[0] = 1
  for (let lag = 1; lag <= longest + 1; lag++) {
    const a = samples[lag - 1] as number
    const b = samples[samples.length - lag] as number
    both -= a * a + b * b
    const right = both > least ? (twice * (correlations[2 * lag + part] as number)) / both : 0
    nsdf[lag] = right
    if (fell || lag > longest) {
      if (middle >= 0.3 && middle > left && middle >= right && lag > shortest) peaks[count++] = lag - 1
    } else if (right <= 0) fell = true
    left = middle
    middle = right
  }
  return count
}

/** Candidates of two columns at once, by long windows and, where those find nothing clear, by quick ones as well. */
function createPeriodFinder(sampleRate: number) {
  const long = createLook(sampleRate, LOOK_SECONDS)
  const quick = createLook(sampleRate, QUICK_SHARE * LOOK_SECONDS)
  const isClear = (found: readonly Candidate[]) => found.some(({ clarity }) => clarity >= CLEAR)
  const cheapest = (found: Candidate[]) => found.sort((a, b) => a.cost - b.cost).slice(0, CANDIDATES)

  function candidatesAt(mix: Float32Array, centreA: number, centreB: number): [Candidate[], Candidate[]] {
    const [a, b] = long.candidatesAt(mix, centreA, centreB)
    if (!isClear(a) || !isClear(b)) {
      const [quickA, quickB] = quick.candidatesAt(mix, centreA, centreB)
      if (!isClear(a)) a.push(...ofQuick(quickA))
      if (!isClear(b)) b.push(...ofQuick(quickB))
    }
    return [cheapest(a), cheapest(b)]
  }
  return { candidatesAt, reach: long.reach }
}

const ofQuick = (found: readonly Candidate[]) =>
  found.flatMap((one) => (one.clarity >= QUICK_CLEAR ? [{ ...one, cost: one.cost + QUICK_COST }] : []))

/** Candidates of two windows of one length at once: their transforms share one. */
function createLook(sampleRate: number, seconds: number) {
  const size = nearestPowerOfTwo(seconds * sampleRate, 256)
  const window = Math.round(WINDOW_SHARE * size)
  const longest = Math.min(size - window - 1, Math.ceil(sampleRate / PITCH_HZ.min))
  const shortest = Math.max(2, Math.floor(sampleRate / PITCH_HZ.max))
  const correlate = pairAutocorrelation(size)
  const correlations = new Float32Array(2 * (longest + 2))
  const nsdf = new Float64Array(longest + 2)
  const peaks = new Int32Array(longest)
  const frame = [new Float64Array(window), new Float64Array(window)] as const

  function candidates(samples: Float64Array, part: 0 | 1, energy: number): Candidate[] {
    if (energy / window < 1e-9) return []
    const found: Candidate[] = []
    const count = findPeaks(peaks, nsdf, correlations, part, samples, energy, shortest, longest)
    for (let n = 0; n < count; n++) {
      const lag = peaks[n] as number
      const left = nsdf[lag - 1] as number
      const middle = nsdf[lag] as number
      const right = nsdf[lag + 1] as number
      const bend = left - 2 * middle + right
      const offset = bend === 0 ? 0 : (0.5 * (left - right)) / bend
      const clarity = Math.min(1, middle - 0.25 * (left - right) * offset)
      const hz = sampleRate / (lag + offset)
      found.push({ hz, clarity, cost: 1 - clarity + SHORTNESS * log2(SHORTNESS_FROM_HZ / hz) })
    }
    return found
  }

  const loudness = (energy: number) => (energy > 0 ? 1 / Math.sqrt(energy) : 0)
  function candidatesAt(mix: Float32Array, centreA: number, centreB: number): [Candidate[], Candidate[]] {
    const energyA = load(frame[0], mix, centreA - (window >> 1))
    const energyB = load(frame[1], mix, centreB - (window >> 1))
    correlate(correlations, frame[0], frame[1], loudness(energyA), loudness(energyB))
    return [candidates(frame[0], 0, energyA), candidates(frame[1], 1, energyB)]
  }
  return { candidatesAt, reach: window }
}

const SILENT: Candidate = { hz: 0, cost: 0, clarity: 0 }

/** Viterbi over candidates and "no pitch", column by column; of each column only what the way back asks for is kept. */
function createPathFinder(columns: number) {
  const most = CANDIDATES + 1
  const hz = new Float32Array(columns * most)
  const clarity = new Float32Array(columns * most)
  const back = new Uint8Array(columns * most)
  let before: readonly Candidate[] = []
  let costs: number[] = []
  let column = 0
  return {
    add(found: readonly Candidate[]) {
      const clearest = found.reduce((m, c) => Math.max(m, c.clarity), 0)
      const now = [{ ...SILENT, cost: Math.max(0, clearest - VOICED_FROM) }, ...found]
      // voiced states cost what they have over where a frame begins to count as pitched, or over the best of them
      const free = found.reduce((least, { cost }) => Math.min(least, cost), CLEAR_COST)
      costs = now.map((state, i) => {
        let best = column === 0 ? 0 : Number.POSITIVE_INFINITY
        let bestAt = 0
        before.forEach((previous, p) => {
          let step = 0
          if ((previous.hz === 0) !== (state.hz === 0)) step = TURN_COST
          else if (state.hz > 0) step = OCTAVE_COST * Math.abs(log2(state.hz / previous.hz))
          const cost = (costs[p] as number) + step
          if (cost < best) {
            best = cost
            bestAt = p
          }
        })
        const at = column * most + i
        hz[at] = state.hz
        clarity[at] = state.clarity
        back[at] = bestAt
        return best + (i === 0 ? state.cost : state.cost - free)
      })
      before = now
      column++
    },
    cheapest(): { hz: Float32Array; clarity: Float32Array } {
      const path = { hz: new Float32Array(column), clarity: new Float32Array(column) }
      let state = costs.reduce((best, cost, i) => (cost < (costs[best] as number) ? i : best), 0)
      for (let n = column - 1; n >= 0; n--) {
        const at = n * most + state
        path.hz[n] = hz[at] as number
        path.clarity[n] = clarity[at] as number
        state = back[at] as number
      }
      return path
    },
  }
}

/** Pitch at a source frame, Hz. Two readings far apart are no one voice: the first counts that has a pitch. 0 has none. */
export function hzAt(track: PitchTrack, frame: number): number {
  const place = frame / track.hopFrames
  const i = Math.max(0, Math.min(track.hz.length - 1, Math.floor(place)))
  const a = track.hz[i] as number
  const b = track.hz[Math.min(track.hz.length - 1, i + 1)] as number
  if (a === 0 || b === 0 || b / a > LEAP || a / b > LEAP) return a || b
  return a + (b - a) * Math.max(0, Math.min(1, place - i))
}
