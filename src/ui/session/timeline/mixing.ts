import {
  type Arrangement,
  dbToAmplitude,
  heardAt,
  type LaidMix,
  layMix,
  type OpenTempo,
  openMetre,
  openTempo,
} from '../../../core'
import { hasLevels, type MixSound, type Sound } from '../../../engine'
import {
  arrangementOf,
  contentKey,
  mixRate,
  partFacts,
  partRecipe,
  type Session,
  type Source,
  soundKey,
} from '../../../session'
import { playback } from '../hear/listening'
import { isKnown, knownSoFar, syncAnalysis } from '../know/analyses'
import { shelf } from '../state/engine'
import { rememberFacts } from '../state/loading'
import { tell } from '../state/notices'
import { type State, store } from '../state/store'
import { recipesOf, withItsLevels } from './mixSounds'

/** The timeline as it is laid, drawn and heard: its sounds are read, and the player follows whatever changes. */

const { getState, setState } = store

/** Where everything of a session's timeline lies. */
export interface Timeline {
  readonly arrangement: Arrangement
  readonly laid: LaidMix
  readonly tempo: OpenTempo
  readonly metre: ReturnType<typeof openMetre>
  /** Hz, of the mix */
  readonly rate: number
}

let last: { readonly session: Session; readonly knowledge: State['knowledge']; readonly timeline: Timeline } | undefined

/** The timeline of the session as it is; the same one for as long as nothing of it has changed. */
export function timelineOf(state: State): Timeline {
  const { present: session } = state.history
  if (last?.session === session && last.knowledge === state.knowledge) return last.timeline
  const arrangement = arrangementOf(session, ({ id }) => state.knowledge[id])
  const used = usedSources(session)
  const rate = mixRate(used.flatMap((source) => source.facts?.sampleRate ?? []))
  const isSame = last && last.timeline.rate === rate && sameText(last.timeline.arrangement, arrangement)
  const timeline =
    isSame && last && sameSizes(last.session, session)
      ? last.timeline
      : {
          arrangement,
          laid: keptParts(layMix(arrangement, sizesOf(session), rate), session, last),
          tempo: openTempo(arrangement.tempoLine),
          metre: openMetre(arrangement.metre),
          rate,
        }
  last = { session, knowledge: state.knowledge, timeline }
  return timeline
}

const sameText = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
const sameSizes = (a: Session, b: Session) =>
  a.sources === b.sources || sameText(a.sources.map(partFacts), b.sources.map(partFacts))

/** Parts that lie as they lay before are the very same: what was drawn of them holds. */
function keptParts(mix: LaidMix, session: Session, before: typeof last): LaidMix {
  if (!before) return mix
  const { arrangement, laid, rate } = before.timeline
  const isSameLine = rate === mix.rate && sameText(arrangement.tempoLine, mix.arrangement.tempoLine)
  if (!isSameLine || !sameText(arrangement.metre, mix.arrangement.metre)) return mix
  const sizeBefore = sizesOf(before.session)
  const sizeNow = sizesOf(session)
  const old = new Map(laid.parts.map((own) => [own.part.id, own]))
  const parts = mix.parts.map((own) => {
    const there = old.get(own.part.id)
    const isKept =
      there && sameText(there.part, own.part) && sameText(sizeBefore(own.part.source), sizeNow(own.part.source))
    return isKept ? there : own
  })
  return { ...mix, parts }
}

/** How large the sounds of a session are, as far as they were read. */
export const sizesOf =
  ({ sources }: Session) =>
  (id: string) => {
    const source = sources.find((own) => own.id === id)
    return source && partFacts(source)
  }

/** Sources that parts of the timeline are of. */
export const usedSources = ({ sources, parts }: Session): Source[] =>
  sources.filter(({ id }) => parts.some(({ source }) => source === id))

/** sounds of parts, by their source's sound key */
let opened: ReadonlyMap<string, Sound> = new Map()
const opening = new Set<string>()

export const openedFor = (source: Source): Sound | undefined => opened.get(soundKey(source))

/** what the player was last told of: nothing else of the state is heard */
let heeded: readonly unknown[] = []
const heardOf = ({ history, analyses, knowledge, mixFacts, outlook }: State) =>
  [history.present, analyses, knowledge, mixFacts, opened, outlook.mixClick, outlook.listeningSpeed] as const

/** Let the player and the drawing follow the timeline, while it is looked at or heard. */
export function syncMix(state: State) {
  if (state.outlook.view !== 'timeline' && !state.mixPlaying) return
  const now = heardOf(state)
  if (now.every((value, n) => value === heeded[n])) return
  heeded = now
  const { present: session } = state.history
  const used = usedSources(session)
  const keys = new Set(used.map(soundKey))
  if ([...opened.keys()].some((key) => !keys.has(key))) {
    opened = new Map([...opened].filter(([key]) => keys.has(key)))
    heeded = heardOf(state)
  }
  for (const source of used) {
    const sound = openedFor(source)
    if (!sound) {
      // what could not be read is not tried over and over
      if (state.mixFacts[soundKey(source)] !== null) void open(source)
      continue
    }
    syncAnalysis(source, sound, recipesOf(session, source), 0)
  }
  // what was begun may have told more by now
  send(getState())
}

/** Someone looks at the timeline: sounds that could not be read are tried once more. */
export function lookAtMix() {
  setState(({ mixFacts }) => ({
    mixFacts: Object.fromEntries(Object.entries(mixFacts).filter(([, facts]) => facts !== null)),
  }))
  syncMix(getState())
}

function setOpened(key: string, sound: Sound) {
  opened = new Map(opened).set(key, sound)
  syncMix(getState())
}

/** drawings are made one after another, behind what is needed to hear */
let drawing: Promise<unknown> = Promise.resolve()
const DRAWING_RANK = 2

let line: Promise<unknown> = Promise.resolve()

/** Have a source's samples, then what it looks like. */
async function open(source: Source) {
  const key = soundKey(source)
  if (opening.has(key)) return
  opening.add(key)
  try {
    // one after the other: what is needed to hear the first one is begun before the next one is opened
    const opens = line.then(() => shelf.open(source))
    line = opens.catch(() => undefined)
    let sound = await opens
    setOpened(key, sound)
    if (!hasLevels(sound)) {
      sound = await withItsLevels(source, sound)
      setOpened(key, sound)
    }
    const before = drawing
    const looking = before.then(() => shelf.look(source, sound, DRAWING_RANK))
    drawing = looking.catch(() => undefined)
    const { facts, whole } = await looking
    if (whole) rememberFacts(source.id, whole)
    setState((state) => ({ mixFacts: { ...state.mixFacts, [key]: facts } }))
  } catch (error) {
    tell(error)
    setState((state) => ({ mixFacts: { ...state.mixFacts, [key]: null } }))
  } finally {
    opening.delete(key)
    syncMix(getState())
  }
}

/** a part whose sound, or what its method needs of it, is not there yet is left out until it is */
function isReady(state: State, source: Source, part: Session['parts'][number]): boolean {
  const sound = openedFor(source)
  if (!sound || !hasLevels(sound) || !partFacts(source)) return false
  return isKnown(state, source, partRecipe(source, part))
}

/** of each sound the player was told of: which sound, and what was known of it */
let sentSounds: ReadonlyMap<string, string> = new Map()
let sentArrangement = ''
const versions = new WeakMap<object, number>()
let version = 0
function versionOf(value: object): number {
  const known = versions.get(value) ?? ++version
  versions.set(value, known)
  return known
}

function send(state: State) {
  const { present: session } = state.history
  const ready = new Set(heardParts(state).map(({ id }) => id))
  const sounds: Record<string, MixSound | 'as before'> = {}
  const called = new Map<string, string>()
  const told = new Map<string, string>()
  for (const source of usedSources(session)) {
    const sound = openedFor(source)
    if (!sound) continue
    const analysis = knownSoFar(state, source) ?? {}
    // attacks that were corrected make another sound of it
    const id = contentKey(source)
    called.set(source.id, id)
    const version = `${versionOf(sound)} ${versionOf(analysis)}`
    told.set(id, version)
    sounds[id] = sentSounds.get(id) === version ? 'as before' : { key: soundKey(source), sound, analysis }
  }
  const isAsBefore = told.size === sentSounds.size && Object.values(sounds).every((own) => own === 'as before')
  if (!isAsBefore) {
    sentSounds = told
    playback.setMixSounds(sounds)
  }
  const { arrangement } = timelineOf(state)
  const heard = heardAt(arrangement, state.outlook.listeningSpeed)
  const own: Arrangement = {
    ...heard,
    parts: heard.parts
      .filter(({ id }) => ready.has(id))
      .map((part) => ({ ...part, source: called.get(part.source) as string })),
  }
  const click = { level: dbToAmplitude(session.click.gainDb), on: state.outlook.mixClick }
  const text = JSON.stringify([own, click])
  if (text === sentArrangement) return
  sentArrangement = text
  playback.setArrangement(own, click)
  if (state.mixAwaited) playAwaited()
}

/** Parts that can be heard, of those that lie on the timeline. */
const heardParts = (state: State) => {
  const { parts, sources } = state.history.present
  return parts.filter((part) => {
    const source = sources.find(({ id }) => id === part.source)
    return source && isReady(state, source, part)
  })
}

export const readyParts = (state: State): number => heardParts(state).length

/** Play the timeline, or stop it; a lane gives way to it. */
export function toggleMix() {
  if (playback.playing === 'mix') {
    playback.stop()
    return
  }
  if (getState().history.present.parts.length === 0) return
  // it begins when there is something to hear
  setState(({ mixAwaited }) => ({ mixAwaited: !mixAwaited }))
  syncMix(getState())
  playAwaited()
}

function playAwaited() {
  const state = getState()
  if (!state.mixAwaited || readyParts(state) === 0) return
  setState({ mixAwaited: false })
  const { laid, tempo, metre, rate } = timelineOf(state)
  const { beat, countIn } = state.outlook
  // from the end there is nothing to hear
  const from = tempo.secondsAt(beat) * rate >= laid.frames - 1 ? 0 : beat
  void playback.playMix(from, rate, countIn ? metre.barAt(from).beatsPerBar : 0)
}

/** Put the timeline's playhead on a beat. */
export function goToBeat(beat: number) {
  const to = Math.max(0, beat)
  setState(({ outlook }) => ({ outlook: { ...outlook, beat: to }, queuedJump: undefined }))
  playback.goTo(to)
}

/** Go to a section: at once, or, while it plays, on the next bar. A section that waits already is let go. */
export function goToSection(sectionId: string) {
  const state = getState()
  const section = state.history.present.sections.find(({ id }) => id === sectionId)
  if (!section) return
  const { metre } = timelineOf(state)
  const beat = metre.beatOfBar(section.bar - 1)
  if (!state.mixPlaying) {
    goToBeat(beat)
    return
  }
  if (state.queuedJump?.sectionId === sectionId) {
    setState({ queuedJump: undefined })
    playback.setJump(undefined)
    return
  }
  const at = metre.beatOfBar(metre.barAt(playback.beat() + SOONEST_BEATS).bar + 1)
  setState({ queuedJump: { sectionId, beat, at } })
  playback.setJump({ beat, at })
}

/** a bar line that comes sooner than this is too near to be jumped at */
const SOONEST_BEATS = 0.25

/** Go to the section behind the one that is heard, or before it. */
export function goToNeighbour(step: 1 | -1) {
  const state = getState()
  const { metre } = timelineOf(state)
  const sections = [...state.history.present.sections].sort((a, b) => a.bar - b.bar)
  const beat = state.queuedJump?.beat ?? (state.mixPlaying ? playback.beat() : state.outlook.beat)
  const bar = metre.barAt(beat + 1e-6).bar + 1
  const here = sections.findLastIndex((section) => section.bar <= bar)
  const next = sections[here + step]
  if (next) goToSection(next.id)
}
