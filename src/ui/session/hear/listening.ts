import { type Analysis, dbToAmplitude, type Recipe } from '../../../core'
import {
  createPlayback,
  type LedEvent,
  type NotedEvent,
  type Program,
  WORKERS_ALONE,
  WORKERS_BESIDE_PLAYBACK,
} from '../../../engine'
import { beatsOf, contentKey, REFERENCE, recipeHeardAt, recipeOf, type Source, soundKey } from '../../../session'
import type { LoadedSound } from '../files/audioShelf'
import { isKnown, knownSoFar, syncAnalysis } from '../know/analyses'
import { askAgain } from '../know/knowledge'
import { pool, shelf } from '../state/engine'
import { rememberFacts, setLoad } from '../state/loading'
import { tell } from '../state/notices'
import { setOutlook } from '../state/outlook'
import { activeLane, type State, selectedSource, store, type TriedState } from '../state/store'
import { clickTrack } from './clickTrack'
import { matchedGains } from './matching'

/** What is heard: the selected source's sound, the lane, the place, the loop. */

const { getState, setState } = store

/** many sounds at once take a core nearly whole: work in the background shares the other one with the page */
const REST_BESIDE_MIX_MS = 72

export const playback = createPlayback({
  onPlaying: (playing) => {
    const before = getState()
    setState({ playing: playing === 'lane', mixPlaying: playing === 'mix', queuedJump: undefined })
    // while only hands may play there is time for others: they wait where little is written
    const isAlone = playing === undefined || playing === 'hand'
    pool.limit(isAlone ? WORKERS_ALONE : WORKERS_BESIDE_PLAYBACK, playing === 'mix' ? REST_BESIDE_MIX_MS : undefined)
    if (before.playing && playing !== 'lane') keepPosition(playback.sourceFrame())
    if (before.mixPlaying && playing !== 'mix') setOutlook({ beat: Math.max(0, playback.beat()) })
  },
  onJumped: () => setState({ queuedJump: undefined }),
  onReady: (ids) => setState({ readyInstruments: new Set(ids) }),
  onNoted: (events) => listeners.noted(events),
  onLed: (event) => listeners.led(event),
  onRound: (round) => listeners.round(round),
  onError: tell,
})

/** who is told of what was played */
interface PlayListeners {
  noted(events: readonly NotedEvent[]): void
  led(event: LedEvent): void
  round(round: { readonly begins: number; readonly frames: number }): void
}
let listeners: PlayListeners = { noted: () => {}, led: () => {}, round: () => {} }
export const onPlayed = (own: PlayListeners) => {
  listeners = own
}

pool.playBeside(playback.control)

// what really went out, for whoever wants to prove it from outside the page: tests, and a look from the console
Object.assign(globalThis, {
  zumbetOutput: {
    heard: playback.heard,
    underruns: playback.underruns,
    wayOutMs: playback.wayOutMs,
    late: playback.late,
  },
})

/** the sound of the selected source, once it is there */
let heard: { key: string; sound: LoadedSound } | undefined

export function heardSound(source: Source): LoadedSound | undefined {
  return heard?.key === soundKey(source) ? heard.sound : undefined
}

/** Let the ear follow the selection and the program. Calls `onReady` when a newly selected sound has been read. */
export function syncListening(state: State, onReady: () => void) {
  const source = selectedSource(state)
  if ((source && soundKey(source)) !== heard?.key) {
    heard = undefined
    sentAnalysis = undefined
    playback.setSource(undefined)
    if (source && state.loads[soundKey(source)]?.status !== 'failed') void listenTo(source, onReady)
  }
  syncProgram(state)
}

async function listenTo(source: Source, onReady: () => void) {
  const { id } = source
  const key = soundKey(source)
  if (getState().loads[key]?.status === 'loading') return
  setLoad(key, { status: 'loading' })
  try {
    const sound = await shelf.getPart(source)
    const selected = selectedSource(getState())
    const here = selected && soundKey(selected) === key
    if (here) {
      heard = { key, sound }
      // before anything that sends a program: a new source has none, and the same one is not sent twice
      playback.setSource(sound.decoded.sound, Math.min(getState().outlook.positions[id] ?? 0, sound.facts.frames - 1))
    }
    if (!source.range) rememberFacts(id, sound)
    const { markers } = source.range ? (await shelf.get(source)).decoded : sound.decoded
    setLoad(key, { status: 'ready', facts: sound.facts, markers })
    if (here) {
      onReady()
      hearAwaited()
    }
  } catch (error) {
    setLoad(key, { status: 'failed', error })
  }
}

/** the source that is to be heard once it is read: from its start, or from where it was */
let awaited: { readonly id: string; readonly from: 'start' | 'place' } | undefined

/** Hear a source once it is read, from its start; without one, none any more. */
export function hearWhenReady(sourceId?: string) {
  awaited = sourceId === undefined ? undefined : { id: sourceId, from: 'start' }
  hearAwaited()
}

function hearAwaited() {
  const source = selectedSource(getState())
  if (!source || source.id !== awaited?.id || heard?.key !== soundKey(source)) return
  const { from } = awaited
  awaited = undefined
  if (playback.playing) return
  if (from === 'start') void playback.play(0)
  else togglePlay()
}

/** Try to read a source again that could not be read. */
export function loadAgain(source: Source) {
  askAgain(source)
  setState((state) => ({
    loads: Object.fromEntries(Object.entries(state.loads).filter(([key]) => key !== soundKey(source))),
  }))
}

let sentProgram = ''
let sentAnalysis: Analysis | undefined

function syncProgram(state: State) {
  const source = selectedSource(state)
  if (!source || heard?.key !== soundKey(source)) {
    sentProgram = ''
    return
  }
  syncClick(state, source)
  const tried = state.tried?.sourceId === source.id ? state.tried : undefined
  const { listeningSpeed } = state.outlook
  const part = heard.sound.decoded.sound
  const atSpeed = (recipe: Recipe) => recipeHeardAt(recipe, listeningSpeed, part) as Recipe
  const needed = source.variants.map((variant) => atSpeed(recipeOf(source, variant)))
  if (tried) needed.push(atSpeed(tried.recipe))
  const reference = recipeHeardAt(undefined, listeningSpeed, part)
  syncAnalysis(source, heard.sound.decoded.sound, reference ? [...needed, reference] : needed)
  const analysis = knownSoFar(state, source)
  if (analysis && analysis !== sentAnalysis) playback.setAnalysis(analysis)
  sentAnalysis = analysis
  const gains = laneGains(state, source)
  if (tried) gains.push((gains[0] as number) * (state.outlook.matched ? dbToAmplitude(-tried.changeLu) : 1))
  const lane = activeLane(state, source)
  const variantIndex = tried ? source.variants.length : source.variants.findIndex((variant) => variant.id === lane)
  const recipe = needed[variantIndex]
  // until what a lane needs is known, the reference is heard in its place
  const active = recipe && isKnown(state, source, recipe) ? 1 + variantIndex : 0
  const program: Program = {
    lanes: [
      {
        recipe: reference && isKnown(state, source, reference) ? reference : undefined,
        gain: gains[0] as number,
      },
      ...needed.map((recipe, i) => ({ recipe, gain: gains[i + 1] as number })),
    ],
    active,
    loop: state.outlook.looping
      ? (tried?.range ?? source.selection ?? { start: 0, end: heard.sound.facts.frames })
      : undefined,
    switchSeconds: state.outlook.switchMs / 1000,
  }
  const text = contentKey(source, heard.key, program)
  if (text === sentProgram) return
  sentProgram = text
  playback.setProgram(program)
}

let sentClick = ''

/** The click follows beats as they are known and corrected. */
function syncClick(state: State, source: Source) {
  const { click } = state.outlook
  if (click === 'off') {
    if (sentClick !== '') playback.setClick(undefined)
    sentClick = ''
    return
  }
  const { frames, bars } = beatsOf(source, state.knowledge[source.id])
  const text = `${click} ${soundKey(source)} ${frames.length} ${frames[0]} ${frames.at(-1)} ${bars.indexOf(true)}`
  if (text === sentClick) return
  sentClick = text
  playback.setClick(clickTrack(frames, bars, click === 'eighths'))
}

/** Gains of the reference and the variants, in lane order. */
export function laneGains(state: State, source: Source): number[] {
  if (!state.outlook.matched) return [1, ...source.variants.map(() => 1)]
  return matchedGains(
    state.loads[soundKey(source)]?.facts,
    source.variants.map((variant) => state.renders[variant.id]?.facts),
  )
}

/** Play the lane, or stop it; the timeline gives way to it. */
export function togglePlay() {
  if (playback.playing === 'lane') {
    playback.stop()
    return
  }
  const source = selectedSource(getState())
  if (!source) return
  if (!heard) {
    // it is still being read: it plays as soon as it is, unless that is taken back
    awaited = awaited?.id === source.id ? undefined : { id: source.id, from: 'place' }
    return
  }
  const { frames } = heard.sound.facts
  let from = playback.sourceFrame()
  const selection = getState().tried?.range ?? source.selection
  if (getState().outlook.looping && selection && (from < selection.start || from >= selection.end))
    from = selection.start
  if (from >= frames - 1) from = 0
  void playback.play(from)
}

export function seek(sourceFrame: number) {
  const frames = heard?.sound.facts.frames ?? 0
  const frame = Math.max(0, Math.min(frames - 1, sourceFrame))
  playback.seek(frame)
  keepPosition(frame)
}

function keepPosition(frame: number) {
  const { selectedId } = getState().outlook
  if (selectedId === undefined || !getState().ready) return
  setOutlook((outlook) => ({ positions: { ...outlook.positions, [selectedId]: Math.round(frame) } }))
}

/** Hear something that was only tried, over the part of the source that its trial was about, in place of a lane. */
export function hearTried(tried: TriedState) {
  const loopBefore = getState().tried?.range
  setState({ tried })
  const here = playback.sourceFrame()
  const inside = here >= tried.range.start && here < tried.range.end
  if (!inside || !loopBefore) seek(tried.range.start)
  if (playback.playing !== 'lane') togglePlay()
}

/** Back to the lanes. */
export function leaveTried() {
  if (getState().tried) setState({ tried: undefined })
}

/** Lane 0 is the reference, 1… the variants in the order on screen. */
export function hearLane(index: number) {
  const source = selectedSource(getState())
  if (!source) return
  leaveTried()
  const variant = source.variants[index - 1]
  if (index > 0 && !variant) return
  setOutlook((outlook) => {
    const chosen = variant?.id ?? outlook.lanes[source.id]?.chosen
    const lane = { active: variant?.id ?? REFERENCE, ...(chosen !== undefined && { chosen }) }
    return { lanes: { ...outlook.lanes, [source.id]: lane } }
  })
}
