import { AppError } from '../errors'
import { asOutput, asSource, type OutputFrame, type SourceFrame } from './axes'
import { composed, type Passage, straight } from './passage'
import { type Ramp, type RampKind, rampEnd, rampIntegral, rampInverse, rampRate } from './ramp'

/**
 * Which moment of the source sounds at which moment of the result. Never falling, with an exact inverse, and defined
 * beyond both ends, where it goes on with the slope that it has there. Where it stands still (a freeze) the inverse gives
 * the moment at which it came to stand.
 */
export interface TimeMap {
  readonly sourceFrames: number
  /** mapped length of the result in frames, unrounded */
  readonly length: number
  /** whole frames of the result: the mapped length, rounded once */
  readonly outputFrames: number
  sourceAt(output: OutputFrame): SourceFrame
  outputAt(source: SourceFrame): OutputFrame
  /** source frames per output frame at that moment of the result */
  speedAt(output: OutputFrame): number
}

/** A time map as a passage from result to source. */
export const passageOf = (map: TimeMap): Passage<OutputFrame, SourceFrame> => ({
  to: map.sourceAt,
  from: map.outputAt,
  speedAt: map.speedAt,
})

/** A passage from result to source as a time map of so many frames; `length` is that of the result, unrounded. */
export const timeMapOf = (
  { to, from, speedAt }: Passage<OutputFrame, SourceFrame>,
  sourceFrames: number,
  length: number,
): TimeMap => ({
  sourceFrames,
  length,
  outputFrames: Math.round(length),
  sourceAt: to,
  outputAt: from,
  speedAt,
})

/**
 * One straight line: the result is `stretch` times as long as the source.
 * @throws {RangeError} if `sourceFrames` is not whole and not negative, or `stretch` not finite and above 0.
 */
export function straightMap(sourceFrames: number, stretch: number): TimeMap {
  if (!Number.isInteger(sourceFrames) || sourceFrames < 0) {
    throw new RangeError(`straightMap: sourceFrames must be whole and not negative, got ${sourceFrames}`)
  }
  if (!(stretch > 0 && Number.isFinite(stretch))) {
    throw new RangeError(`straightMap: stretch must be finite and above 0, got ${stretch}`)
  }
  return {
    sourceFrames,
    length: sourceFrames * stretch,
    outputFrames: Math.round(sourceFrames * stretch),
    sourceAt: (output) => asSource(output / stretch),
    outputAt: (source) => asOutput(source * stretch),
    speedAt: () => 1 / stretch,
  }
}

/** The same map onto a part of the source: its frame `start` is the part's first, of `sourceFrames`. */
export const shiftedMap = (map: TimeMap, start: number, sourceFrames: number): TimeMap => ({
  ...timeMapOf(composed(passageOf(map), straight(1, -start)), sourceFrames, map.length),
  outputFrames: map.outputFrames,
})

/** The stretch that gives exactly `outputFrames`, which `round(sourceFrames × stretch)` then returns. */
export function stretchForFrames(sourceFrames: number, outputFrames: number): number {
  return outputFrames / sourceFrames
}

/**
 * A moment of the source tied to a moment of the result, and how the way to the next point goes: `line` at one speed
 * (none, where the source stands still), `linear` and `log` with a speed that changes evenly by difference or by ratio.
 */
export interface MapPoint {
  readonly sourceSeconds: number
  readonly outputSeconds: number
  readonly curve?: RampKind
  /** source seconds per output second at the start of a ramp; without it, the speed at which the piece before it ends */
  readonly speed?: number
}

const MAX_MAP_POINTS = 10_000

interface Piece extends Ramp {
  readonly outputStart: number
  readonly sourceStart: number
  readonly sourceEnd: number
}

/**
 * A map through points by hand. The first point lies at output 0; output rises from point to point, the source never
 * falls. The result ends at the last point.
 * @throws {AppError} `map/…` naming the point (counted from 1) and what is wrong with it.
 */
export function pointMap(sourceFrames: number, sampleRate: number, points: readonly MapPoint[]): TimeMap {
  const pieces: Piece[] = []
  if (points.length < 2 || points.length > MAX_MAP_POINTS) {
    throw new AppError('map/count', { count: points.length, most: MAX_MAP_POINTS })
  }
  const wrong = (i: number, why: string) => new AppError('map/point', { point: i + 1, why })
  points.forEach((point, i) => {
    const { sourceSeconds, outputSeconds, speed } = point
    if (!Number.isFinite(sourceSeconds) || !Number.isFinite(outputSeconds)) throw wrong(i, 'its seconds are no numbers')
    if (speed !== undefined && !(speed >= 0 && Number.isFinite(speed))) throw wrong(i, 'its speed must be 0 or more')
    if (i === 0 && outputSeconds !== 0) throw wrong(i, 'the first one must lie at output 0')
    if (sourceSeconds < 0 || sourceSeconds * sampleRate > sourceFrames + 1) {
      throw wrong(i, `its source must lie between 0 and ${(sourceFrames / sampleRate).toFixed(3)} s`)
    }
    const before = points[i - 1]
    if (!before) return
    if (!(outputSeconds > before.outputSeconds)) throw wrong(i, 'its output must lie behind that of the one before')
    if (sourceSeconds < before.sourceSeconds) throw wrong(i, 'its source must not lie before that of the one before')
    const outputStart = before.outputSeconds * sampleRate
    const sourceStart = before.sourceSeconds * sampleRate
    const sourceEnd = sourceSeconds * sampleRate
    const length = outputSeconds * sampleRate - outputStart
    const mean = (sourceEnd - sourceStart) / length
    const kind = before.curve ?? 'line'
    const from = kind === 'line' ? mean : (before.speed ?? pieces.at(-1)?.to ?? mean)
    const to = rampEnd(kind, from, mean)
    if (to === undefined) {
      throw wrong(
        i - 1,
        `a ramp that starts at speed ${from.toFixed(3)} cannot come to the next point: it would run back`,
      )
    }
    pieces.push({ kind, length, from, to, outputStart, sourceStart, sourceEnd })
  })
  return piecewiseMap(sourceFrames, pieces)
}

function piecewiseMap(sourceFrames: number, pieces: readonly Piece[]): TimeMap {
  const first = pieces[0] as Piece
  const last = pieces[pieces.length - 1] as Piece
  const end = last.outputStart + last.length
  // reading goes on from where it was: the piece asked for is nearly always the last one or its neighbour
  let near = 0
  const pieceAt = (output: number): Piece => {
    while (near > 0 && output < (pieces[near] as Piece).outputStart) near--
    while (near + 1 < pieces.length && output >= (pieces[near + 1] as Piece).outputStart) near++
    return pieces[near] as Piece
  }
  return {
    sourceFrames,
    length: end,
    outputFrames: Math.round(end),
    sourceAt(output) {
      if (output < 0) return asSource(first.sourceStart + output * first.from)
      if (output > end) return asSource(last.sourceEnd + (output - end) * last.to)
      const piece = pieceAt(output)
      return asSource(piece.sourceStart + rampIntegral(piece, output - piece.outputStart))
    },
    outputAt(source) {
      if (source < first.sourceStart) return asOutput(first.from > 0 ? (source - first.sourceStart) / first.from : 0)
      if (source > last.sourceEnd) return asOutput(last.to > 0 ? end + (source - last.sourceEnd) / last.to : end)
      let low = 0
      let high = pieces.length - 1
      while (low < high) {
        const middle = (low + high) >> 1
        if ((pieces[middle] as Piece).sourceEnd < source) low = middle + 1
        else high = middle
      }
      const piece = pieces[low] as Piece
      const t = rampInverse(piece, source - piece.sourceStart)
      return asOutput(piece.outputStart + Math.min(piece.length, Math.max(0, t)))
    },
    speedAt(output) {
      if (output < 0) return first.from
      if (output > end) return last.to
      const piece = pieceAt(output)
      return rampRate(piece, output - piece.outputStart)
    },
  }
}
