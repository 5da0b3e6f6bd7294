import { type Analysis, needsOf, otherReading } from '../../../core'
import type { GivenInstrument, MixSound, Sound } from '../../../engine'
import {
  contentKey,
  type Keys,
  keysInstrument,
  padInstrument,
  type Session,
  type Source,
  soundKey,
  tempoOf,
} from '../../../session'
import { playback } from '../hear/listening'
import { isKnown, knownSoFar, syncAnalysis } from '../know/analyses'
import { shelf } from '../state/engine'
import { tell } from '../state/notices'
import { type State, selectedSource, store } from '../state/store'

/** What can be played: each pick on its pad, and what lies over the keys. The player follows whatever changes. */

const { getState } = store

/** middle C, where nothing is known */
const UNKNOWN_ROOT = 60
const SURE_ROOT = 0.3

let opened: ReadonlyMap<string, Sound> = new Map()
const opening = new Set<string>()
let sentSounds: ReadonlyMap<string, string> = new Map()
let sent = ''
const versions = new WeakMap<object, number>()
let version = 0
const versionOf = (value: object) => {
  const own = versions.get(value) ?? ++version
  versions.set(value, own)
  return own
}

/** The root of what lies over the keys: as it was said, else as it was found. */
export function rootOf(state: State, keys: Keys, source: Source): { readonly key: number; readonly found: boolean } {
  if (keys.root !== undefined) return { key: keys.root, found: false }
  const pitch = state.knowledge[source.id]?.pitch
  const hz = pitch && pitch.confidence >= SURE_ROOT ? pitch.rootHz : undefined
  const bent = keys.variant === undefined && keys.pick === undefined ? 0 : source.target.pitchSemitones
  return hz === undefined
    ? { key: UNKNOWN_ROOT, found: false }
    : { key: Math.max(0, Math.min(127, 69 + 12 * Math.log2(hz / 440) + bent)), found: true }
}

/** The stretch that makes a source's beats the session's; undefined where its tempo is not known. */
export function tempoStretch(state: State, source: Source): number | undefined {
  const { bpm } = tempoOf(source, state.knowledge[source.id])
  const stretch = bpm && bpm / state.history.present.bpm
  return stretch && (otherReading(stretch)?.stretch ?? stretch)
}

export interface InstrumentOf {
  readonly order: GivenInstrument['order']
  readonly source: Source
}

/** All instruments of a session, whether their sounds are there or not, with what lies over the keys. */
export function instrumentsOf(state: State, session: Session, keys: Keys | undefined): InstrumentOf[] {
  const sourceOf = (id: string) => session.sources.find((one) => one.id === id)
  const pads = session.picks.flatMap((pick) => {
    const source = sourceOf(pick.source)
    const order = source && padInstrument(source, pick)
    return source && order ? [{ order, source }] : []
  })
  const source = keys && sourceOf(keys.source)
  if (!keys || !source) return pads
  const pick = session.picks.find(({ id }) => id === keys.pick)
  const order = keysInstrument(source, keys, pick, rootOf(state, keys, source).key, tempoStretch(state, source))
  return order ? [...pads, { order, source }] : pads
}

let heeded: readonly unknown[] = []
/** the player is told of changes so often, ms */
const LEAST_MS = 120
let sentAt = Number.NEGATIVE_INFINITY
let again: ReturnType<typeof setTimeout> | undefined

/** Let the player follow, while Play is looked at. */
export function syncInstruments(state: State) {
  if (state.outlook.view !== 'play') return
  const now = [state.history.present, state.analyses, state.knowledge, opened, state.outlook.selectedId]
  if (now.every((value, n) => value === heeded[n])) return
  heeded = now
  const { present: session } = state.history
  const all = instrumentsOf(state, session, session.keys)
  // what is on the strip can be led by hand
  const here = selectedSource(state)
  const used = [...new Set([...all.map(({ source }) => source), ...(here?.facts ? [here] : [])])]
  for (const source of used) {
    const sound = opened.get(soundKey(source))
    if (!sound) void open(source)
    else
      syncAnalysis(
        source,
        sound,
        all.filter((one) => one.source === source).map(({ order }) => order.recipe),
        0,
      )
  }
  const sounds: Record<string, MixSound | 'as before'> = {}
  const told = new Map<string, string>()
  const given: GivenInstrument[] = []
  const give = (source: Source, sound: Sound, text: string) => {
    const id = contentKey(source)
    if (!told.has(id)) {
      told.set(id, text)
      const analysis: Analysis = knownSoFar(getState(), source) ?? {}
      sounds[id] = sentSounds.get(id) === text ? 'as before' : { key: soundKey(source), sound, analysis }
    }
    return id
  }
  for (const { order, source } of all) {
    const sound = opened.get(soundKey(source))
    if (!sound || !isKnown(getState(), source, order.recipe)) continue
    const analysis = knownSoFar(getState(), source) ?? {}
    const text = `${versionOf(sound)} ${needsOf(order.recipe).length === 0 ? 0 : versionOf(analysis)}`
    const id = give(source, sound, text)
    given.push({ order, sound: id })
  }
  const led = here && opened.get(soundKey(here))
  if (here && led) give(here, led, `${versionOf(led)} 0`)
  const text = JSON.stringify([given, [...told]])
  if (text === sent) return
  // while something is drawn or dragged, not every step of it is got ready
  const rest = sentAt + LEAST_MS - performance.now()
  if (rest > 0) {
    if (again !== undefined) return
    again = setTimeout(() => {
      again = undefined
      heeded = []
      syncInstruments(getState())
    }, rest)
    return
  }
  sentAt = performance.now()
  sent = text
  sentSounds = told
  playback.setInstruments(sounds, given)
}

async function open(source: Source) {
  const key = soundKey(source)
  if (opening.has(key)) return
  opening.add(key)
  try {
    const sound = await shelf.open(source)
    opened = new Map(opened).set(key, sound)
  } catch (error) {
    tell(error)
  } finally {
    syncInstruments(getState())
  }
}

/** The rate that hands are heard at, Hz: that of the first pick, or else of what is on the strip. */
export function handRate({ history, outlook }: State): number {
  const id = history.present.picks[0]?.source ?? outlook.selectedId
  return history.present.sources.find((source) => source.id === id)?.facts?.sampleRate ?? 48_000
}

/** The sound of a source, for work on its results. */
export async function soundOf(source: Source): Promise<Sound> {
  return opened.get(soundKey(source)) ?? shelf.open(source)
}
