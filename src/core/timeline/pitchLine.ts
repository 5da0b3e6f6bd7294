import { semitonesToRatio } from '../dsp/units'
import { AppError } from '../errors'
import { asOutput, type OutputFrame, type SourceFrame } from './axes'
import { composed, type Passage, reversed } from './passage'
import { type Ramp, rampIntegral, rampInverse, rampRate } from './ramp'
import { passageOf, type TimeMap, timeMapOf } from './timeMap'

/**
 * The wanted change of pitch over the result. `toTuned` is the integral of the pitch ratio: the axis on which a sound that
 * was stretched by the ratio as well lies, before it is read back at that ratio and so gets its pitch.
 */
export interface PitchLine {
  /** the one ratio throughout, where there is only one */
  readonly constantRatio: number | undefined
  ratioAt(output: OutputFrame): number
  toTuned(output: OutputFrame): number
  fromTuned(tuned: number): OutputFrame
}

/** One pitch throughout, in semitones (cents as their hundredths). */
export function constantPitch(semitones: number): PitchLine {
  const ratio = semitonesToRatio(semitones)
  return {
    constantRatio: ratio,
    ratioAt: () => ratio,
    toTuned: (output) => output * ratio,
    fromTuned: (tuned) => asOutput(tuned / ratio),
  }
}

export interface PitchPoint {
  readonly outputSeconds: number
  readonly semitones: number
}

const MAX_PITCH_POINTS = 10_000

/**
 * A line of pitch through points by hand: straight in semitones between them, level before the first and behind the last.
 * @throws {AppError} `pitch/…` naming the point (counted from 1) and what is wrong with it.
 */
export function pointPitch(points: readonly PitchPoint[], sampleRate: number, offsetSemitones = 0): PitchLine {
  if (points.length < 1 || points.length > MAX_PITCH_POINTS) {
    throw new AppError('pitch/count', { count: points.length, most: MAX_PITCH_POINTS })
  }
  const wrong = (i: number, why: string) => new AppError('pitch/point', { point: i + 1, why })
  const pieces: (Ramp & { start: number; tuned: number })[] = []
  const ratioOf = (point: PitchPoint) => semitonesToRatio(point.semitones + offsetSemitones)
  let tuned = 0
  let at = 0
  points.forEach((point, i) => {
    const { outputSeconds, semitones } = point
    if (!(outputSeconds >= 0 && Number.isFinite(outputSeconds))) throw wrong(i, 'its output must be 0 s or later')
    if (!(Math.abs(semitones + offsetSemitones) <= 36)) throw wrong(i, 'its pitch must lie within 36 semitones')
    const before = points[i - 1]
    if (before && !(outputSeconds > before.outputSeconds)) {
      throw wrong(i, 'its output must lie behind that of the one before')
    }
    const end = outputSeconds * sampleRate
    const from = ratioOf(before ?? point)
    const to = ratioOf(point)
    if (end > at) {
      const piece = { kind: 'log' as const, length: end - at, from, to, start: at, tuned }
      pieces.push(piece)
      tuned += rampIntegral(piece, piece.length)
      at = end
    }
  })
  const level = ratioOf(points[points.length - 1] as PitchPoint)
  pieces.push({ kind: 'line', length: Number.POSITIVE_INFINITY, from: level, to: level, start: at, tuned })
  const first = pieces[0] as Ramp
  // reading goes on from where it was
  let near = 0
  let nearTuned = 0
  const pieceAt = (output: number) => {
    while (near > 0 && output < (pieces[near]?.start as number)) near--
    while (near + 1 < pieces.length && output >= (pieces[near + 1]?.start as number)) near++
    return pieces[near] as (typeof pieces)[number]
  }
  return {
    constantRatio: points.every((p) => p.semitones === points[0]?.semitones) ? level : undefined,
    ratioAt(output) {
      if (output < 0) return first.from
      const piece = pieceAt(output)
      return rampRate(piece, output - piece.start)
    },
    toTuned(output) {
      if (output < 0) return output * first.from
      const piece = pieceAt(output)
      return piece.tuned + rampIntegral(piece, output - piece.start)
    },
    fromTuned(wanted) {
      if (wanted < 0) return asOutput(wanted / first.from)
      while (nearTuned > 0 && wanted < (pieces[nearTuned]?.tuned as number)) nearTuned--
      while (nearTuned + 1 < pieces.length && wanted >= (pieces[nearTuned + 1]?.tuned as number)) nearTuned++
      const piece = pieces[nearTuned] as (typeof pieces)[number]
      return asOutput(piece.start + rampInverse(piece, wanted - piece.tuned))
    },
  }
}

/** A pitch line as the way from the result to the tuned axis. */
const tuning = (pitch: PitchLine): Passage<OutputFrame> => ({
  to: pitch.toTuned,
  from: pitch.fromTuned,
  speedAt: pitch.ratioAt,
})

/** The time map from the tuned axis to the source: what a method follows when its result is read back at the ratio. */
export function tunedMap(map: TimeMap, pitch: PitchLine): TimeMap {
  const length = pitch.toTuned(asOutput(map.length))
  const way = composed(reversed(tuning(pitch)), passageOf(map)) as Passage<OutputFrame, SourceFrame>
  return { ...timeMapOf(way, map.sourceFrames, length), outputFrames: Math.ceil(length) }
}

/**
 * The map of a method for which length and pitch are one thing, as on tape: the pitch line turns the one speed as well, so
 * the result runs through `map` at the ratio and ends that much sooner or later.
 */
export const tapeMap = (map: TimeMap, pitch: PitchLine): TimeMap =>
  timeMapOf(
    composed(tuning(pitch) as Passage<OutputFrame, OutputFrame>, passageOf(map)),
    map.sourceFrames,
    pitch.fromTuned(map.length),
  )
