import {
  MEASURE_VERSION,
  type MeasuredRange,
  measuredRange,
  methodById,
  methods,
  SWEEP_POINTS,
  type SweepAxis,
  type SweepPoint,
  spreadOrder,
  sweepRecipe,
  sweepSeconds,
  type Trial,
  withoutPlaces,
} from '../../../core'
import { contentKey, type Source } from '../../../session'
import { heardSound } from '../hear/listening'
import { setOutlook } from '../state/outlook'
import { type State, type SweepState, selectedSource, store } from '../state/store'
import { triedBefore, tryRecipe } from './trying'

/** Sweeps: many lengths or pitches by several methods, measured in the background, kept, and gone on with after a reload. */

const { getState, setState } = store

/** A sweep belongs to a part of a source, its attacks, and what its target says beside length and pitch. */
const sweepKey = (source: Source) => contentKey(source, MEASURE_VERSION, baseOf(source))

const baseOf = ({ target: { formants, formantSemitones, holdPercent } }: Source) => ({
  formants,
  formantSemitones: formants === 'shift' ? formantSemitones : 0,
  holdPercent,
})

export const sweepOf = (state: State, source: Source): SweepState | undefined => state.sweeps[sweepKey(source)]

interface Place {
  readonly axis: SweepAxis
  readonly at: number
  readonly methodId: string
}

export const placeRecipe = (source: Source, { axis, at, methodId }: Place) =>
  sweepRecipe(baseOf(source), methodId, axis, at)

const tryOf = (source: Source, place: Place) => ({
  recipe: placeRecipe(source, place),
  seconds: sweepSeconds(place.axis, place.at),
})

/** All places of an axis in the order in which they are tried. */
function placesOf(axis: SweepAxis, methodIds: readonly string[]): Place[] {
  const points = SWEEP_POINTS[axis]
  return spreadOrder(points.length).flatMap((n) =>
    methodIds.map((methodId) => ({ axis, at: points[n] as number, methodId })),
  )
}

const pointOf = (place: Place, trial: Trial): SweepPoint => ({ ...place, ...withoutPlaces(trial) })

const isAt = (a: Place, b: Place) => a.axis === b.axis && a.at === b.at && a.methodId === b.methodId

function setSweep(key: string, change: (sweep: SweepState) => SweepState) {
  setState((state) => ({ sweeps: { ...state.sweeps, [key]: change(state.sweeps[key] ?? { points: [] }) } }))
}

const asked = new Set<string>()
let running: { readonly sourceId: string; readonly key: string; readonly stop: AbortController } | undefined

/** What was measured in earlier visits is there again, and a sweep that was going on goes on. */
export function syncSweeps(state: State) {
  const source = selectedSource(state)
  if (!source?.facts?.hash || !heardSound(source)) return
  const key = sweepKey(source)
  if (running && running.sourceId === source.id && running.key !== key) stopSweep()
  if (asked.has(key)) return
  asked.add(key)
  void findKept(source, key).then(() => {
    const { running: wanted } = getState().outlook.sweep
    if (wanted === source.id && !running) void startSweep(source)
  })
}

const AXES: readonly SweepAxis[] = ['length', 'far', 'pitch']

async function findKept(source: Source, key: string) {
  const all = AXES.flatMap((axis) =>
    placesOf(
      axis,
      methods.map(({ id }) => id),
    ),
  )
  const trials = await triedBefore(
    source,
    all.map((place) => tryOf(source, place)),
  )
  const points = all.flatMap((place, n) => (trials[n] ? [pointOf(place, trials[n] as Trial)] : []))
  setSweep(key, (sweep) => ({ ...sweep, points: points.length > sweep.points.length ? points : sweep.points }))
}

/** Measure what is missing of the chosen axis by the chosen methods. */
export async function startSweep(source: Source) {
  const sound = heardSound(source)
  if (!sound) return
  stopSweep()
  const { axis, methodIds } = getState().outlook.sweep
  const key = sweepKey(source)
  const stop = new AbortController()
  const mine = { sourceId: source.id, key, stop }
  running = mine
  setOutlook((outlook) => ({ sweep: { ...outlook.sweep, running: source.id } }))
  const places = placesOf(axis, methodIds)
  const here = () => getState().sweeps[key]?.points ?? []
  const missing = places.filter((place) => !here().some((point) => isAt(point, place)))
  let done = places.length - missing.length
  const show = () => setSweep(key, ({ points }) => ({ points, running: { axis, done, total: places.length } }))
  show()
  try {
    await Promise.all(
      missing.map(async (place) => {
        const { recipe, seconds } = tryOf(source, place)
        const trial = await tryRecipe(source, sound.decoded.sound, recipe, seconds, { signal: stop.signal, rank: 6 })
        stop.signal.throwIfAborted()
        done++
        setSweep(key, ({ points }) => ({
          points: [...points, pointOf(place, trial)],
          running: { axis, done, total: places.length },
        }))
      }),
    )
    finish(mine)
  } catch (error) {
    // what fails stops the others; what was measured stays
    stop.abort()
    finish(mine, error)
  }
}

function finish(mine: typeof running, error?: unknown) {
  if (!mine) return
  const aborted = (error as Error | undefined)?.name === 'AbortError'
  setSweep(mine.key, ({ points }) => ({ points, ...(error !== undefined && !aborted && { error }) }))
  if (running !== mine) return
  running = undefined
  setOutlook(({ sweep: { running: _, ...sweep } }) => ({ sweep }))
}

export function stopSweep() {
  const was = running
  was?.stop.abort()
  if (was) finish(was, new DOMException('stopped', 'AbortError'))
}

/** How far this sound can go, as far as sweeps have told. */
export function rangeMeasured(state: State, source: Source): MeasuredRange {
  const sweep = sweepOf(state, source)
  return rangeOfPoints(sweep?.points ?? NO_POINTS)
}

const NO_POINTS: readonly SweepPoint[] = []
const ranges = new WeakMap<readonly SweepPoint[], MeasuredRange>()

/** The same object for the same points, so that views need not draw again. */
function rangeOfPoints(points: readonly SweepPoint[]): MeasuredRange {
  let range = ranges.get(points)
  if (!range) {
    range = measuredRange(points.filter(({ methodId }) => !methodById(methodId).tiesPitchToSpeed))
    ranges.set(points, range)
  }
  return range
}
