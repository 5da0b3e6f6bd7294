import type { ArtefactId } from '../measure/artefacts'
import { SEVERITY, severityOfArtefact, worstOf } from '../measure/grading'
import type { Measurement } from '../measure/measure'
import type { Formants, Recipe } from '../render/recipe'

/** One source through many lengths, or many pitches, by several methods: where does each break? */

export type SweepAxis = 'length' | 'far' | 'pitch'

/** Where an axis is looked at: stretch for lengths, semitones for pitches; rising. */
export const SWEEP_POINTS: Readonly<Record<SweepAxis, readonly number[]>> = {
  length: [0.25, 0.35, 0.5, 0.65, 0.8, 0.9, 1.1, 1.25, 1.5, 1.75, 2, 2.5, 3, 4, 6, 8, 12, 16],
  far: [16, 25, 40, 65, 100, 140, 200],
  pitch: [-24, -19, -16, -12, -9, -7, -5, -3, -2, -1, 1, 2, 3, 5, 7, 9, 12, 16, 19, 24],
}

/** What all points of a sweep share. */
export interface SweepBase {
  readonly formants: Formants
  readonly formantSemitones: number
  readonly holdPercent: number
}

/** What is tried at a point: one quantity moves, the other stays the source's. */
export function sweepRecipe(base: SweepBase, methodId: string, axis: SweepAxis, at: number): Recipe {
  return {
    version: 1,
    stretch: axis === 'pitch' ? 1 : at,
    pitchSemitones: axis === 'pitch' ? at : 0,
    formants: base.formants,
    ...(base.formants === 'shift' && { formantSemitones: base.formantSemitones }),
    ...(base.holdPercent > 0 && { holdPercent: base.holdPercent }),
    methodId,
    settings: {},
    seed: 1,
  }
}

const PART_SECONDS = 6
const LONGEST_PART_SECONDS = 20

/**
 * How much of a result is tried, s: as much of the source at every point where that is short, and never so little of it that one attack
 * would decide.
 */
export function sweepSeconds(axis: SweepAxis, at: number): number {
  if (axis === 'pitch') return PART_SECONDS
  return Math.min(LONGEST_PART_SECONDS, PART_SECONDS * (at < 1 ? at : Math.sqrt(at)))
}

/** Indices of `count` points in the order in which they are tried: spread over all of them first, then in between. */
export function spreadOrder(count: number): number[] {
  const order = new Set<number>()
  for (const step of [4, 2, 1]) for (let i = step >> 1; i < count; i += step) order.add(i)
  return [...order]
}

/** What was measured at a point. */
export interface SweepPoint {
  readonly axis: SweepAxis
  readonly at: number
  readonly methodId: string
  readonly measurement: Measurement
  /** the part of the result that was tried, output frames */
  readonly span: { readonly from: number; readonly to: number }
}

/** How bad a point is: its worst figure, or one kind's; undefined where that could not be told. */
export function pointSeverity(point: SweepPoint, shown: ArtefactId | 'worst'): number | undefined {
  if (shown === 'worst') return worstOf(point.measurement)?.severity
  const artefact = point.measurement.artefacts.find(({ id }) => id === shown)
  return artefact?.measured ? severityOfArtefact(artefact) : undefined
}

export interface Breaks {
  /** stretch, or semitones, below 1 (below 0) where it breaks; undefined where it holds as far as it was tried */
  readonly low: number | undefined
  readonly high: number | undefined
  /** as far as it was tried */
  readonly least: number
  readonly most: number
}

/**
 * Where a curve of severities first reaches `limit` on the way out from where nothing is changed, on either side, between two points
 * by share of the way (by ratio for lengths).
 * @param curve  at rising places; what is not there yet is left out.
 */
export function breaksOf(
  axis: SweepAxis,
  curve: readonly { readonly at: number; readonly severity: number }[],
  limit: number,
): Breaks {
  const along = axis === 'pitch' ? (at: number) => at : (at: number) => Math.log(at)
  const back = axis === 'pitch' ? (x: number) => x : (x: number) => Math.exp(x)
  const rest = { x: 0, severity: 0 }
  const points = curve.map(({ at, severity }) => ({ x: along(at), severity }))
  const first = (side: typeof points) => {
    let before = rest
    for (const point of side) {
      if (point.severity >= limit) {
        const share =
          before.severity >= limit ? 0 : (limit - before.severity) / Math.max(1e-9, point.severity - before.severity)
        return back(before.x + share * (point.x - before.x))
      }
      before = point
    }
    return undefined
  }
  const below = points.filter(({ x }) => x < 0).reverse()
  const above = points.filter(({ x }) => x > 0)
  return {
    low: first(below),
    high: first(above),
    least: back(below.at(-1)?.x ?? 0),
    most: back(above.at(-1)?.x ?? 0),
  }
}

/** The severities of one method along an axis, rising by place. */
export function curveOf(points: readonly SweepPoint[], methodId: string, shown: ArtefactId | 'worst' = 'worst') {
  return points
    .filter((point) => point.methodId === methodId)
    .flatMap((point) => {
      const severity = pointSeverity(point, shown)
      return severity === undefined ? [] : [{ at: point.at, severity }]
    })
    .sort((a, b) => a.at - b.at)
}

/** How bad the best of the methods is at every place that was tried. */
export function bestCurve(points: readonly SweepPoint[]) {
  const best = new Map<number, number>()
  for (const point of points) {
    const severity = pointSeverity(point, 'worst')
    // what could not be told is never the best
    if (severity !== undefined) best.set(point.at, Math.min(severity, best.get(point.at) ?? Number.POSITIVE_INFINITY))
  }
  return [...best].map(([at, severity]) => ({ at, severity })).sort((a, b) => a.at - b.at)
}

/** How far this very sound can go: by the best of the methods tried, to where harm gets clear, and to where it gets severe. */
export interface MeasuredRange {
  readonly natural?: readonly [number, number]
  readonly slight?: readonly [number, number]
  readonly naturalPitch?: number
  readonly slightPitch?: number
}

/** What a finished sweep says about the natural range; nothing for an axis of which points are missing. */
export function measuredRange(points: readonly SweepPoint[]): MeasuredRange {
  const range = (axis: SweepAxis, limit: number) => {
    const of = points.filter((point) => point.axis === axis)
    const tried = new Set(of.map(({ at }) => at))
    if (!SWEEP_POINTS[axis].every((at) => tried.has(at))) return undefined
    const { low, high, least, most } = breaksOf(axis, bestCurve(of), limit)
    return [low ?? least, high ?? most] as const
  }
  const narrower = (both: readonly [number, number] | undefined) => both && Math.min(-both[0], both[1])
  const natural = range('length', SEVERITY.clear)
  const slight = range('length', SEVERITY.severe)
  const naturalPitch = narrower(range('pitch', SEVERITY.clear))
  const slightPitch = narrower(range('pitch', SEVERITY.severe))
  return {
    ...(natural && { natural }),
    ...(slight && { slight }),
    ...(naturalPitch !== undefined && { naturalPitch }),
    ...(slightPitch !== undefined && { slightPitch }),
  }
}
