import { AppError } from '../errors'
import { type MapPoint, pointMap, type TimeMap } from '../timeline/timeMap'

/** From here on, the sound runs at this speed. Two points at one moment are a step. */
export interface SpeedPoint {
  /** seconds of the source's own time */
  readonly seconds: number
  /** %, `SPEED_RANGE`; 80 takes a quarter longer */
  readonly percent: number
  /** how the speed goes to the next point: evenly, or with a gentle start and end; `straight` where it is not said */
  readonly curve?: 'straight' | 'curved' | undefined
}

/** A speed that changes over a source. Before the first point it is as there, behind the last one as there. */
export interface SpeedCurve {
  /** rising by their seconds; two may share a moment */
  readonly points: readonly SpeedPoint[]
  /** the whole stays as long as it was: what lies before the first point and behind the last makes up for it */
  readonly keepsLength?: boolean
}

export const SPEED_RANGE = { min: 5, max: 2000 } as const
export const MOST_SPEED_POINTS = 1000

/** moments went to and fro between a file and a part of it: what differs by less is one */
const SAME_SECONDS = 1e-9

/** straight pieces that a gentle way is made of */
const CURVED_PIECES = 16

/** A stretch of a source's own time over which the speed changes evenly. */
interface Run {
  readonly from: number
  readonly to: number
  /** as ratios */
  readonly first: number
  readonly last: number
}

/** @throws {AppError} `speed/count`; `speed/point` naming the point, from 1 on, and what is wrong with it. */
export function checkSpeedCurve({ points }: SpeedCurve) {
  if (points.length < 1 || points.length > MOST_SPEED_POINTS)
    throw new AppError('speed/count', { count: points.length, most: MOST_SPEED_POINTS })
  points.forEach(({ seconds, percent }, n) => {
    const wrong = (why: string) => new AppError('speed/point', { point: n + 1, why })
    if (!Number.isFinite(seconds) || seconds < 0) throw wrong('its seconds must be 0 or more')
    if (!(percent >= SPEED_RANGE.min && percent <= SPEED_RANGE.max))
      throw wrong(`its speed must be ${SPEED_RANGE.min} to ${SPEED_RANGE.max} %`)
    if (n > 0 && seconds < (points[n - 1] as SpeedPoint).seconds) throw wrong('it lies before the one before it')
    if (n > 1 && seconds === (points[n - 2] as SpeedPoint).seconds) throw wrong('it is the third one at its moment')
  })
}

/**
 * The map that a speed curve makes of a source: from the result to the source's own time. Points lie on whole frames
 * of the result.
 * @throws {AppError} as `checkSpeedCurve`; `speed/length` where nothing lies around it that could keep the length.
 */
export function speedMap(curve: SpeedCurve, frames: number, sampleRate: number): TimeMap {
  checkSpeedCurve(curve)
  const seconds = frames / sampleRate
  const points: MapPoint[] = []
  // unrounded: what lies on whole frames one by one would drift over hundreds of points
  let output = 0
  const runs = runsOf(curve, seconds)
  runs.forEach(({ from, to, first, last }, n) => {
    const start = Math.round(output * sampleRate) / sampleRate
    const isLine = first === last
    points.push({
      sourceSeconds: from,
      outputSeconds: start,
      ...(isLine ? {} : { curve: 'linear' as const, speed: first }),
    })
    // a speed that changes evenly over the result has the mean of its ends
    output += (2 * (to - from)) / (first + last)
    if (n === runs.length - 1)
      points.push({ sourceSeconds: to, outputSeconds: Math.round(output * sampleRate) / sampleRate })
  })
  return pointMap(frames, sampleRate, points)
}

function runsOf({ points, keepsLength }: SpeedCurve, seconds: number): Run[] {
  const inner: Run[] = []
  const ends = points.map((point) => ({
    ...point,
    seconds: Math.min(seconds, point.seconds),
    ratio: point.percent / 100,
  }))
  ends.forEach((point, n) => {
    const next = ends[n + 1]
    if (!next || !(next.seconds > point.seconds + SAME_SECONDS)) return
    const pieces = point.curve === 'curved' && point.ratio !== next.ratio ? CURVED_PIECES : 1
    const ratioAt = (share: number) => point.ratio + (next.ratio - point.ratio) * (pieces > 1 ? gentle(share) : share)
    for (let k = 0; k < pieces; k++) {
      const [a, b] = [k / pieces, (k + 1) / pieces]
      inner.push({
        from: point.seconds + a * (next.seconds - point.seconds),
        to: point.seconds + b * (next.seconds - point.seconds),
        first: ratioAt(a),
        last: ratioAt(b),
      })
    }
  })
  const first = ends[0] as (typeof ends)[number]
  const last = ends.at(-1) as (typeof ends)[number]
  let [before, behind] = [first.ratio, last.ratio]
  if (keepsLength) {
    const taken = inner.reduce((sum, run) => sum + (2 * (run.to - run.from)) / (run.first + run.last), 0)
    const around = seconds - (last.seconds - first.seconds)
    const speed = around / (seconds - taken)
    if (!(around > 0 && speed >= SPEED_RANGE.min / 100 && speed <= SPEED_RANGE.max / 100))
      throw new AppError('speed/length')
    before = speed
    behind = speed
  }
  return [
    ...(first.seconds > SAME_SECONDS ? [{ from: 0, to: first.seconds, first: before, last: before }] : []),
    ...inner,
    ...(last.seconds < seconds - SAME_SECONDS
      ? [{ from: last.seconds, to: seconds, first: behind, last: behind }]
      : []),
  ]
}

const gentle = (share: number) => share * share * (3 - 2 * share)

/** Whether a curve can keep the length of a source of so many seconds: enough has to lie around it. */
export function canKeepLength(points: readonly SpeedPoint[], seconds: number): boolean {
  try {
    runsOf({ points, keepsLength: true }, seconds)
    return true
  } catch {
    return false
  }
}

/** The points that slow, or quicken, what lies between two moments, and leave the rest as it is. */
export const speedBetween = (from: number, to: number, percent: number): SpeedPoint[] => [
  { seconds: from, percent: 100 },
  { seconds: from, percent },
  { seconds: to, percent },
  { seconds: to, percent: 100 },
]

/**
 * Read a speed curve from JSON: `{"points":[{"seconds":0,"percent":100,"curve":"straight"}, …], "keepsLength":false}`.
 * @throws {AppError} `speed/json` saying what is wrong; as `checkSpeedCurve`.
 */
export function readSpeedCurve(text: string, file: string): SpeedCurve {
  const wrong = (why: string, cause?: unknown) => new AppError('speed/json', { file, why }, cause)
  let read: { points?: unknown; keepsLength?: unknown } | null
  try {
    read = JSON.parse(text)
  } catch (error) {
    throw wrong('it is not JSON', error)
  }
  const list = Array.isArray(read) ? read : read?.points
  if (!Array.isArray(list)) throw wrong('it has no list of "points"')
  const points = list.map((one: Record<string, unknown> | null, n): SpeedPoint => {
    const { seconds, percent, curve } = one ?? {}
    if (typeof seconds !== 'number' || typeof percent !== 'number')
      throw wrong(`point ${n + 1} needs "seconds" and "percent"`)
    if (curve !== undefined && curve !== 'straight' && curve !== 'curved')
      throw wrong(`point ${n + 1} has a "curve" that is none of straight, curved`)
    return { seconds, percent, ...(curve !== undefined && { curve }) }
  })
  const keepsLength = !Array.isArray(read) && read?.keepsLength === true
  const curve = { points, ...(keepsLength && { keepsLength }) }
  checkSpeedCurve(curve)
  return curve
}
