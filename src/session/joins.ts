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

/** What a variant is joined of; one run where nothing is. */
export const runsOf = ({ methodId, settings, joins = [] }: Variant): readonly LaneRun[] => [
  { source: 0, methodId, settings: settings[methodId] ?? {} },
  ...joins,
]

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
  variants.find(
    (one) => !one.joins && isSameLane(run, { methodId: one.methodId, settings: one.settings[one.methodId] ?? {} }),
  )

interface Moment {
  readonly source: number
  readonly fade?: number
}

/** runs shorter than this are not kept, s */
export const LEAST_RUN_SECONDS = 0.03

/**
 * Another lane from one moment up to the next; what sounded there goes on behind it. Without an end it is heard up to
 * the end of the sound.
 */
export function paintRun(
  runs: readonly LaneRun[],
  from: Moment,
  to: Moment | undefined,
  { methodId, settings }: RunLane,
): readonly LaneRun[] {
  const end = to?.source ?? Number.POSITIVE_INFINITY
  if (end - from.source < LEAST_RUN_SECONDS) return runs
  const own: LaneRun = {
    source: from.source < LEAST_RUN_SECONDS ? 0 : from.source,
    methodId,
    settings,
    ...(from.fade !== undefined && { fade: from.fade }),
  }
  const before = runs.filter(({ source }) => source <= own.source - LEAST_RUN_SECONDS)
  const resumed = to && runs.findLast(({ source }) => source <= end)
  const behind = runs.filter(({ source }) => source > end + LEAST_RUN_SECONDS)
  return [...before, own, ...(resumed ? [{ ...resumed, source: end, fade: to.fade }] : []), ...behind]
}
