import { lowerBound } from '../dsp/search'
import type { Stroke } from './periodicity'

/** A grid that a performance keeps to from beginning to end. */
export interface Grid {
  readonly beatSeconds: number
  /** a beat; others lie whole beats from it */
  readonly firstSeconds: number
  /** how far strokes lie from their places, root mean square, ms */
  readonly looseMs: number
  /** share of strokes' strength that has a place on it */
  readonly share: number
  /** how far off `beatSeconds` may be, as a ratio */
  readonly uncertainty: number
}

/** places of a beat that strokes are laid to: sixteenths */
const PARTS = 4
/** how far from its place a stroke may lie to belong there, as a share of a beat */
const NEAR = 0.1
const HUBER_MS = 4
/** beats from which on a fit may be trusted to reach twice as far */
const FIRST_SPAN_BEATS = 6

/**
 * Fit a steady grid to strokes, from a first guess of the beat. The fit begins with a few beats and reaches further as it gets
 * better, so a guess that is off by a hundredth still finds its way over hundreds of beats. The four sixteenths of a beat each
 * may be late or early by themselves: swing moves the off-beats, not the tempo.
 */
export function fitGrid(strokes: readonly Stroke[], guessSeconds: number, phaseSeconds: number): Grid | undefined {
  if (strokes.length < 3) return undefined
  let beat = guessSeconds
  let first = phaseSeconds
  const begin = strokes[0]?.seconds as number
  const end = strokes.at(-1)?.seconds as number
  const late = new Float64Array(PARTS)
  const times = strokes.map((stroke) => stroke.seconds)
  let result: Grid | undefined
  for (let span = FIRST_SPAN_BEATS * beat; ; span *= 1.6) {
    const upTo = begin + span
    const near = strokes.slice(0, lowerBound(times, upTo))
    for (let round = 0; round < 3; round++) {
      const fit = solve(near, beat, first, late)
      if (!fit) break
      beat = fit.beatSeconds
      first = fit.firstSeconds
      result = fit
    }
    if (upTo >= end) break
  }
  if (!result || Math.abs(result.beatSeconds / guessSeconds - 1) > 0.06) return undefined
  return result
}

/** The part of a beat that a place on the grid of sixteenths is. */
const partOf = (place: number) => ((place % PARTS) + PARTS) % PARTS

/** Strokes that have a place on a grid, and which. */
interface Placed {
  readonly count: number
  readonly part: Uint8Array
  readonly beats: Float64Array
  readonly seconds: Float64Array
  readonly weight: Float64Array
  /** share of all strokes' strength */
  readonly share: number
}

/** Which place each stroke has; late places reach further: a swung sixteenth may lie nearer to the beat behind it. */
function placeStrokes(strokes: readonly Stroke[], beat: number, first: number, late: Float64Array): Placed {
  const part = new Uint8Array(strokes.length)
  const beats = new Float64Array(strokes.length)
  const seconds = new Float64Array(strokes.length)
  const weight = new Float64Array(strokes.length)
  let count = 0
  let total = 0
  let has = 0
  for (const stroke of strokes) {
    total += stroke.all
    const u = ((stroke.seconds - first) / beat) * PARTS
    let place = Math.round(u)
    let off = Math.abs((u - place) / PARTS - (late[partOf(place)] as number) / beat)
    const nearest = place
    for (let other = nearest - 1; other <= nearest + 1; other += 2) {
      const otherOff = Math.abs((u - other) / PARTS - (late[partOf(other)] as number) / beat)
      if (otherOff >= off) continue
      place = other
      off = otherOff
    }
    if (off > NEAR) continue
    has += stroke.all
    part[count] = partOf(place)
    beats[count] = place / PARTS
    seconds[count] = stroke.seconds
    weight[count] = stroke.all
    count++
  }
  return { count, part, beats, seconds, weight, share: has / Math.max(1e-9, total) }
}

/** Weighted least squares of seconds over beats, each kind of place with a shift of its own against the beats, kept in `late`. */
function solve(strokes: readonly Stroke[], beat: number, first: number, late: Float64Array): Grid | undefined {
  const { count, part, beats, seconds, weight, share } = placeStrokes(strokes, beat, first, late)
  if (count < 3) return undefined
  const counts = new Float64Array(PARTS)
  for (let i = 0; i < count; i++) counts[part[i] as number] = (counts[part[i] as number] as number) + 1
  const own = new Float64Array(count)
  let slope = beat
  let start = first
  let loose = 0
  const residualMs = (i: number) =>
    1000 * ((seconds[i] as number) - (start + slope * (beats[i] as number) + (late[part[i] as number] as number)))
  for (let round = 0; round < 5; round++) {
    const sw = new Float64Array(PARTS)
    const sx = new Float64Array(PARTS)
    const sy = new Float64Array(PARTS)
    for (let i = 0; i < count; i++) {
      const p = part[i] as number
      const w = (weight[i] as number) * Math.min(1, HUBER_MS / Math.max(1e-9, Math.abs(residualMs(i))))
      own[i] = w
      sw[p] = (sw[p] as number) + w
      sx[p] = (sx[p] as number) + w * (beats[i] as number)
      sy[p] = (sy[p] as number) + w * (seconds[i] as number)
    }
    let sxx = 0
    let sxy = 0
    for (let i = 0; i < count; i++) {
      const p = part[i] as number
      const x = (beats[i] as number) - (sx[p] as number) / (sw[p] as number)
      sxx += (own[i] as number) * x * x
      sxy += (own[i] as number) * x * ((seconds[i] as number) - (sy[p] as number) / (sw[p] as number))
    }
    if (sxx < 1e-9) return undefined
    slope = sxy / sxx
    const at = (p: number) =>
      (sw[p] as number) > 0 ? ((sy[p] as number) - slope * (sx[p] as number)) / (sw[p] as number) : undefined
    // the beats themselves say where the grid lies; without strokes on any, half way or the mean of what there is
    const base = at(0) ?? at(2) ?? ((at(1) ?? 0) + (at(3) ?? at(1) ?? 0)) / 2
    start = base
    for (let p = 0; p < PARTS; p++) late[p] = counts[p] ? (at(p) ?? base) - base : 0
    let squares = 0
    let weights = 0
    for (let i = 0; i < count; i++) {
      const r = residualMs(i)
      squares += (own[i] as number) * r * r
      weights += own[i] as number
    }
    loose = Math.sqrt(squares / Math.max(1e-9, weights))
  }
  const spread = Math.sqrt(variance(beats.subarray(0, count)))
  const uncertainty = (Math.max(0.3, loose) / 1000 / Math.sqrt(count) / Math.max(0.25, spread) / slope) * 1.5
  return { beatSeconds: slope, firstSeconds: start, looseMs: loose, share, uncertainty }
}

function variance(values: Float64Array): number {
  let sum = 0
  for (let i = 0; i < values.length; i++) sum += values[i] as number
  const mean = sum / values.length
  let squares = 0
  for (let i = 0; i < values.length; i++) squares += ((values[i] as number) - mean) ** 2
  return squares / values.length
}

/** how much a beat costs that is longer or shorter than the others, against the novelty found at it */
const TIGHTNESS = 60
const SNAP_SECONDS = 0.035

/**
 * Beats of a performance whose tempo wanders: the path of beats about `beatSeconds` apart through what is new in the sound.
 * Each is then moved to the attack it means, where there is one within 35 ms.
 * Source  Ellis 2007, "Beat Tracking by Dynamic Programming".
 */
export function followBeats(
  novelty: Float64Array,
  stepsPerSecond: number,
  beatSeconds: number,
  strokes: readonly Stroke[],
): number[] {
  const period = beatSeconds * stepsPerSecond
  const mean = novelty.reduce((s, v) => s + v, 0) / Math.max(1, novelty.length)
  const deviation = Math.sqrt(variance(novelty)) || 1
  const score = new Float64Array(novelty.length)
  const from = new Int32Array(novelty.length).fill(-1)
  for (let n = 0; n < novelty.length; n++) {
    let best = 0
    let bestFrom = -1
    for (let gap = Math.round(period / 2); gap <= Math.round(period * 2); gap++) {
      const before = n - gap
      if (before < 0) break
      const bend = Math.log(gap / period)
      const value = (score[before] as number) - TIGHTNESS * bend * bend
      if (value > best) {
        best = value
        bestFrom = before
      }
    }
    score[n] = best + ((novelty[n] as number) - mean) / deviation
    from[n] = bestFrom
  }
  let at = 0
  for (let n = Math.max(0, novelty.length - Math.round(1.2 * period)); n < novelty.length; n++)
    if ((score[n] as number) > (score[at] as number) || at === 0) at = n
  const beats: number[] = []
  for (let n = at; n >= 0; n = from[n] as number) beats.push(n / stepsPerSecond)
  beats.reverse()
  const times = strokes.map((s) => s.seconds)
  return beats.map((beat) => {
    let best = beat
    let most = 0
    for (let i = lowerBound(times, beat - SNAP_SECONDS); i < times.length; i++) {
      const stroke = strokes[i] as Stroke
      if (stroke.seconds > beat + SNAP_SECONDS) break
      const worth = stroke.all * (1 - Math.abs(stroke.seconds - beat) / (2 * SNAP_SECONDS))
      if (worth > most) {
        most = worth
        best = stroke.seconds
      }
    }
    return best
  })
}

/**
 * How closely strokes keep to the halves and quarters of beats that may themselves wander: 1 is exactly, 0 is by chance.
 * Strokes on the beats themselves do not count, since the beats went to look for them.
 */
export function keepsToBeats(beats: readonly number[], strokes: readonly Stroke[]): number {
  let sum = 0
  let weight = 0
  for (const stroke of strokes) {
    const i = lowerBound(beats, stroke.seconds)
    const from = beats[i - 1]
    const to = beats[i]
    if (from === undefined || to === undefined) continue
    const place = (stroke.seconds - from) / (to - from)
    if (place < 0.06 || place > 0.94) continue
    const quarter = 4 * place
    const off = (quarter - Math.round(quarter)) * 2
    sum += stroke.all * off * off
    weight += stroke.all
  }
  // by chance the square is a third
  return weight > 0 ? Math.max(0, 1 - Math.sqrt((3 * sum) / weight)) : 0
}
