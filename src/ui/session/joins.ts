import {
  handoverBetween,
  type JoinedLanes,
  joinLanes,
  type Look,
  methodById,
  methodText,
  type Recipe,
  soundSource,
} from '../../core'
import type { Sound } from '../../engine'
import { lookAll } from '../../host/lookAll'
import {
  freeLetter,
  joinedOf,
  type LaneRun,
  LEAST_RUN_SECONDS,
  laneOf,
  newVariant,
  paintRuns,
  partEnd,
  partStart,
  type RunLane,
  recipeOf,
  runsIn,
  runsOf,
  type Source,
  type Variant,
} from '../../session'
import { eachFrame } from '../common/frames'
import { placeVariant, setRuns } from './edits'
import { heardSound, hearLane, playback } from './hear/listening'
import { analysisOf, knownSoFar } from './know/analyses'
import { readingKeyOf } from './render/renders'
import { mayChange } from './state/access'
import { pool } from './state/engine'
import { notify, tell } from './state/notices'
import { activeLane, selectedSource, store } from './state/store'

/** Lanes of one source joined to one: by measure, or painted while they are heard. */

const { getState, setState } = store

/** Lanes that can be joined: each by one method, whose pitch does not follow its speed. */
export const joinable = ({ variants }: Source): readonly Variant[] =>
  variants.filter(({ joins, methodId }) => !joins && !methodById(methodId).tiesPitchToSpeed)

/** One more lane, joined of the others: it begins as the one that is heard. */
export function addJoined(source: Source) {
  const lanes = joinable(source)
  const heard = lanes.find(({ id }) => id === activeLane(getState(), source)) ?? lanes[0]
  placeRuns(source, [{ source: 0, ...(heard ? laneOf(heard) : PLAIN_LANE) }])
}

const PLAIN_LANE: RunLane = { methodId: 'wsola', settings: {} }

/** Runs as one more lane, heard at once. */
export function placeRuns(source: Source, runs: readonly LaneRun[]) {
  const { methodId } = runs[0] ?? PLAIN_LANE
  const variant = newVariant(crypto.randomUUID(), freeLetter(source.variants), methodId)
  const at = placeVariant(source, { ...variant, ...joinedOf(variant, runs) }, 'Add joined lanes')
  if (at !== undefined) hearLane(at + 1)
}

/** The work of joining a lane by measure, as it is shown. */
export const joiningKey = (variantId: string) => `join ${variantId}`

const stops = new Map<string, AbortController>()

export const cancelJoining = (variantId: string) => stops.get(variantId)?.abort()

/**
 * Hold recipes of one source against each other, place by place, and show how far that is.
 * @param id  by which it is shown and stopped.
 * @returns nothing where it was stopped, or failed, which is told.
 */
export async function heldAgainst(
  id: string,
  name: string,
  source: Source,
  sound: Sound,
  recipes: readonly Recipe[],
): Promise<JoinedLanes | undefined> {
  cancelJoining(id)
  const stop = new AbortController()
  stops.set(id, stop)
  const key = joiningKey(id)
  const show = (progress: number) => setState((state) => ({ exports: { ...state.exports, [key]: { name, progress } } }))
  show(0)
  try {
    let analysis = {}
    for (const recipe of recipes) analysis = { ...analysis, ...(await analysisOf(source, sound, recipe)) }
    const options = { signal: stop.signal, rank: 1 }
    const contest = await pool.run<'contest'>({ kind: 'contest', sound, lanes: recipes, analysis }, options)
    const asked = { kind: 'look', sound, analysis: contest.known, readingKey: readingKeyOf(source) } as const
    const take = (look: Look, showOne: (share: number) => void) =>
      pool.run<'look'>(
        { ...asked, look },
        { ...options, onProgress: ({ doneFrames, totalFrames }) => showOne(doneFrames / totalFrames) },
      )
    return await lookAll(joinLanes(contest), take, show)
  } catch (error) {
    if (!stop.signal.aborted) tell(error)
    // what else was asked for is of no use
    stop.abort()
    return undefined
  } finally {
    if (stops.get(id) === stop) {
      stops.delete(id)
      setState(({ exports: { [key]: _, ...others } }) => ({ exports: others }))
    }
  }
}

/** Hold all lanes of a source against each other, and join those that do least harm where they are heard. */
export async function joinByMeasure(source: Source, variant: Variant) {
  const loaded = heardSound(source)
  const lanes = joinable(source)
  if (!loaded || !mayChange()) return
  if (lanes.length < 2) {
    notify({ tone: 'trouble', text: 'It takes two lanes to join. Add another variant first.' })
    return
  }
  const recipes = lanes.map((lane) => recipeOf(source, lane))
  const name = `Joining ${variant.letter}`
  const held = await heldAgainst(variant.id, name, source, loaded.decoded.sound, recipes)
  const now = getState().history.present.sources.find(({ id }) => id === source.id)
  const still = now?.variants.find(({ id }) => id === variant.id)
  if (!held || !now || !still) return
  const { recipe, alone, joined } = held
  // what lies outside of the part that was measured stays
  const places = recipe.joins?.length ?? 0
  const runs = paintRuns(runsOf(still), runsIn(now, recipe), endOf(now))
  setRuns(now, variant.id, runs, `Join ${variant.letter} by measure`)
  const least = Math.min(...alone)
  const best = lanes[alone.indexOf(least)] as Variant
  notify({
    tone: 'plain',
    kind: 'undo',
    undo: true,
    text:
      places === 0
        ? `No other lane does less harm anywhere: ${variant.letter} is ${methodText(recipe)} all through.`
        : `${methodText(recipe)}, joined at ${places} ${places === 1 ? 'place' : 'places'}: harm ${joined.toFixed(1)} at a first look, ${methodText(best)} (${best.letter}) alone ${least.toFixed(1)}.`,
  })
}

/** Where the part ends that is worked with; undefined where the file does. */
function endOf(source: Source) {
  const end = partEnd(source)
  return end === undefined ? undefined : { source: end }
}

/** how long a hand may come after the moment that it means, and before it, s */
const HAND_LATE_SECONDS = 0.25
const HAND_EARLY_SECONDS = 0.06

/** The moment near a frame of the part at which a handover is heard least, as a run has it. */
export function handoverNear(source: Source, frame: number): { readonly source: number; readonly fade: number } {
  const sound = heardSound(source)?.decoded.sound
  const rate = sound?.sampleRate ?? 48_000
  const start = partStart(source)
  const attacks = knownSoFar(getState(), source)?.attacks ?? []
  const from = Math.max(0, frame - HAND_LATE_SECONDS * rate)
  const to = frame + HAND_EARLY_SECONDS * rate
  // what lies in a file is not read here
  const channels = sound && 'channels' in sound.lies ? sound.lies.channels : undefined
  if (!channels) return { source: start + frame / rate, fade: PLAIN_FADE }
  const { frame: at, fade } = handoverBetween(soundSource({ sampleRate: rate, channels }), attacks, from, to)
  return { source: start + at / rate, fade }
}

const PLAIN_FADE = 0.05

/** A run begins at another moment, as exactly as it is said. */
export function moveRun(source: Source, variant: Variant, n: number, seconds: number, gesture?: string) {
  const runs = runsOf(variant)
  const low = (runs[n - 1]?.source ?? 0) + LEAST_RUN_SECONDS
  const high = (runs[n + 1]?.source ?? Number.POSITIVE_INFINITY) - LEAST_RUN_SECONDS
  const at = Math.max(low, Math.min(high, seconds))
  setRuns(source, variant.id, replaced(runs, n, { source: at }), 'Move a handover', gesture)
}

/** Another lane sounds in a run. */
export function setRunLane(source: Source, variant: Variant, n: number, lane: Variant) {
  setRuns(source, variant.id, replaced(runsOf(variant), n, laneOf(lane)), 'Lane of a run')
}

/** A run goes: the one before it sounds on; of the first one, the one behind it begins at once. */
export function dropRun(source: Source, variant: Variant, n: number) {
  const left = runsOf(variant).filter((_, at) => at !== n)
  setRuns(source, variant.id, n === 0 ? replaced(left, 0, { source: 0 }) : left, 'Remove a run')
}

const replaced = (runs: readonly LaneRun[], n: number, part: Partial<LaneRun>): LaneRun[] =>
  runs.map((run, at) => (at === n ? { ...run, ...part } : run))

interface Stroke {
  readonly sourceId: string
  readonly variantId: string
  readonly laneId: string
  readonly lane: RunLane
  /** frames of the part */
  readonly from: number
  last: number
  /** when that was, ms */
  lastAt: number
}

let stroke: Stroke | undefined
let pass = ''
let leave: (() => void) | undefined

/**
 * While a joined lane is painted and sound plays, whatever lane is heard is laid into it, until another one is heard or
 * the sound ends. One pass is one step of undo.
 */
export function togglePainting(variant: Variant) {
  const on = getState().painting !== variant.id && mayChange()
  endStroke()
  leave?.()
  leave = undefined
  pass = `paint-${crypto.randomUUID()}`
  setState({ painting: on ? variant.id : undefined })
  if (on) leave = eachFrame(paintOn)
}

/** a step of the playhead so far beyond what has passed is none of playing on, s */
const LEAP_SECONDS = 0.5

function paintOn(): boolean {
  const state = getState()
  const source = selectedSource(state)
  const variant = source?.variants.find(({ id }) => id === state.painting)
  if (!source || !variant) {
    endStroke()
    setState({ painting: undefined })
    return false
  }
  if (!state.playing) {
    if (stroke) {
      endStroke()
      pass = `paint-${crypto.randomUUID()}`
    }
    return true
  }
  const heard = joinable(source).find(({ id }) => id === activeLane(state, source))
  const frame = playback.sourceFrame()
  const rate = source.facts?.sampleRate ?? 48_000
  const now = performance.now()
  // a page that was held up for a while has missed nothing: sound went on
  const speed = state.outlook.listeningSpeed / source.target.stretch
  const passed = stroke ? ((now - stroke.lastAt) / 1000) * Math.max(1, speed) : 0
  const goesOn = stroke && frame >= stroke.last - 1 && frame < stroke.last + (LEAP_SECONDS + passed) * rate
  if (stroke && (stroke.laneId !== heard?.id || !goesOn)) endStroke()
  if (heard && !stroke)
    stroke = {
      sourceId: source.id,
      variantId: variant.id,
      laneId: heard.id,
      lane: laneOf(heard),
      from: frame,
      last: frame,
      lastAt: now,
    }
  if (stroke) Object.assign(stroke, { last: frame, lastAt: now })
  return true
}

function endStroke() {
  const done = stroke
  stroke = undefined
  if (!done) return
  const source = getState().history.present.sources.find(({ id }) => id === done.sourceId)
  const variant = source?.variants.find(({ id }) => id === done.variantId)
  const sound = source && heardSound(source)?.decoded.sound
  if (!source || !variant || !sound || done.last - done.from < LEAST_RUN_SECONDS * sound.sampleRate) return
  const late = HAND_LATE_SECONDS * sound.sampleRate
  const from = done.from < late ? { source: partStart(source) } : handoverNear(source, done.from)
  const to = done.last >= sound.frames - late ? endOf(source) : handoverNear(source, done.last)
  const runs = paintRuns(runsOf(variant), [{ ...from, ...done.lane }], to)
  setRuns(source, variant.id, runs, `Paint ${variant.letter}`, pass)
}
