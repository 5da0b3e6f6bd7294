import type { Recipe } from '../core'
import { partStart } from './recipe'
import type { Source, Variant, VariantJoin } from './schema'

/** A lane that is joined of others, as runs: each from a moment of the file on, up to the next. */
export interface LaneRun {
  /** s of the file; the first is 0 */
  readonly source: number
  readonly methodId: string
  readonly settings: VariantJoin['settings']
  readonly fade?: number | undefined
}

/** What sounds in a run: a method with its settings. */
export type RunLane = Pick<LaneRun, 'methodId' | 'settings'>

/** What sounds in a lane of one method. */
export const laneOf = ({ methodId, settings }: Pick<Variant, 'methodId' | 'settings'>): RunLane => ({
  methodId,
  settings: settings[methodId] ?? {},
})

/** What a variant is joined of; one run where nothing is. */
export const runsOf = (variant: Variant): readonly LaneRun[] => [
  { source: 0, ...laneOf(variant) },
  ...(variant.joins ?? []),
]

/** What a recipe of a source is joined of, from where the part begins that is worked with. */
export function runsIn(source: Source, { methodId, settings, joins = [] }: Recipe): readonly LaneRun[] {
  const start = partStart(source)
  return [{ source: start, methodId, settings }, ...joins.map((join) => ({ ...join, source: join.source + start }))]
}

/** Runs as a variant holds them: neighbours that are alike are one. */
export function joinedOf(variant: Variant, runs: readonly LaneRun[]): Pick<Variant, 'methodId' | 'settings' | 'joins'> {
  const merged = runs.filter((run, n) => n === 0 || !isSameLane(run, runs[n - 1] as LaneRun))
  const [first, ...joins] = merged as [LaneRun, ...LaneRun[]]
  return {
    methodId: first.methodId,
    settings: { ...variant.settings, [first.methodId]: { ...first.settings } },
    joins: joins.map(({ source, methodId, settings, fade }) => ({
      source,
      methodId,
      settings: { ...settings },
      ...(fade !== undefined && { fade }),
    })),
  }
}

const isSameLane = (a: RunLane, b: RunLane) =>
  a.methodId === b.methodId && JSON.stringify(sorted(a.settings)) === JSON.stringify(sorted(b.settings))

const sorted = (settings: RunLane['settings']) => Object.entries(settings).sort(([a], [b]) => (a < b ? -1 : 1))

/** The variant that a run sounds like; undefined where none has its method and settings any more. */
export const variantLike = ({ variants }: Source, run: RunLane): Variant | undefined =>
  variants.find((one) => !one.joins && isSameLane(run, laneOf(one)))

interface Moment {
  readonly source: number
  readonly fade?: number
}

/** runs shorter than this are not kept, s */
export const LEAST_RUN_SECONDS = 0.03

/**
 * Runs laid over others, from the first one's moment up to another; what sounded there goes on behind it. Without an end
 * they are heard up to the end of the sound.
 */
export function paintRuns(
  runs: readonly LaneRun[],
  own: readonly LaneRun[],
  to: Moment | undefined,
): readonly LaneRun[] {
  const [first, ...others] = own
  const end = to?.source ?? Number.POSITIVE_INFINITY
  if (!first || end - first.source < LEAST_RUN_SECONDS) return runs
  const start = first.source < LEAST_RUN_SECONDS ? 0 : first.source
  const before = runs.filter(({ source }) => source <= start - LEAST_RUN_SECONDS)
  const resumed = to && runs.findLast(({ source }) => source <= end)
  const behind = runs.filter(({ source }) => source > end + LEAST_RUN_SECONDS)
  return [
    ...before,
    { ...first, source: start },
    ...others,
    ...(resumed ? [{ ...resumed, source: end, fade: to.fade }] : []),
    ...behind,
  ]
}
