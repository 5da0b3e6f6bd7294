import {
  fileBase,
  type HandOrder,
  type Instrument,
  PLAIN_INSTRUMENT,
  PLAIN_TONE_KEY,
  type PlayedNote,
  plainTone,
} from '../../../core'
import {
  type Job,
  type JobResults,
  type LedEvent,
  type NotedEvent,
  scratchFolder,
  soundInMemory,
} from '../../../engine'
import { contentKey, KEYS_ID, type PickMark, type Take } from '../../../session'
import { edit } from '../edits'
import { bringIn } from '../files/arrivals'
import { knowSizes } from '../files/knowSizes'
import { playback } from '../hear/listening'
import { analysisOf } from '../know/analyses'
import { pool } from '../state/engine'
import { notify, tell } from '../state/notices'
import { store } from '../state/store'
import { layAt } from '../timeline/acts'
import { handOrderOf } from './handOrders'
import { instrumentsOf, soundOf } from './instruments'

/** Takes: what is played is written down as it comes to be heard, played again, and rendered as what was heard. */

const { getState, setState } = store

export interface Struck {
  readonly note: number
  readonly instrument: string
  readonly key: number
  readonly velocity: number
}

interface Running {
  readonly struck: Map<number, Struck>
  readonly heard: NotedEvent[]
  readonly held: Map<number, { readonly source: string; readonly order: HandOrder }>
  readonly led: LedEvent[]
  readonly rate: number
}

let running: Running | undefined

/** silence before the first note of a take, in blocks of the output */
const LEAD_FRAMES = 128

export function beginTake() {
  running = { struck: new Map(), heard: [], held: new Map(), led: [], rate: playback.outputRate() ?? 48_000 }
  setState({ taking: true })
}

/** What is struck belongs to the take that runs. */
export function noteTaken(struck: Struck) {
  running?.struck.set(struck.note, struck)
}

/** What is held by hand belongs to it too. */
export function holdTaken(hold: number, source: string, order: HandOrder) {
  running?.held.set(hold, { source, order })
}

export function takeLed(event: LedEvent) {
  running?.led.push(event)
}

/** The player says when what was played came to be heard. */
export function takeNoted(events: readonly NotedEvent[]) {
  running?.heard.push(...events)
}

export function endTake() {
  const own = running
  running = undefined
  setState({ taking: false })
  if (!own) return
  const ons = own.heard.filter(({ kind, note }) => kind === 'on' && own.struck.has(note))
  const holds = own.led.filter(({ kind, hold }) => kind === 'hold' && own.held.has(hold))
  if (ons.length + holds.length === 0) {
    notify({ tone: 'plain', text: 'Nothing was played. Strike pads or keys while a take is recorded.' })
    return
  }
  // it begins with what was played first, on the block that that began with
  const begins = Math.min(...[...ons, ...holds].map(({ frame }) => frame)) - LEAD_FRAMES
  const { keys, takes } = getState().history.present
  const notes = ons.map((on): Take['notes'][number] => {
    const { instrument, key, velocity } = own.struck.get(on.note) as Struck
    const off = own.heard.find(({ kind, note }) => kind === 'off' && note === on.note)
    return {
      ...(instrument !== KEYS_ID && { pick: instrument }),
      key,
      velocity,
      on: on.frame - begins,
      ...(off && { off: off.frame - begins }),
    }
  })
  const last = [...own.heard, ...own.led].reduce((most, { frame }) => Math.max(most, frame), 0)
  edit('record a take', (session) => {
    session.takes.push({
      id: crypto.randomUUID(),
      name: `Take ${takes.length + 1}`,
      rate: own.rate,
      length: last - begins,
      ...(keys && notes.some(({ pick }) => pick === undefined) && { keys: { ...keys } }),
      notes,
      hands: holds.map((hold) => handOf(own, hold, begins, last)),
    })
  })
}

/** A hold of a take, with all that was led in it. */
function handOf({ held, led }: Running, { hold, frame, place, speed }: LedEvent, begins: number, last: number) {
  const { source, order } = held.get(hold) as { source: string; order: HandOrder }
  const own = led.filter((event) => event.hold === hold)
  const off = own.find(({ kind }) => kind === 'let go')
  return {
    source,
    ...order,
    settings: { ...order.settings },
    on: frame - begins,
    // what is still held ends with the take
    off: (off?.frame ?? last) - begins,
    place,
    speed,
    moves: own.flatMap((event) =>
      event.kind === 'move' ? [{ at: event.frame - begins, place: event.place, speed: event.speed }] : [],
    ),
  }
}

/** Take one note, or one hold of the hand, out of a take. */
export const removeFromTake = (id: string, from: 'notes' | 'hands', n: number) =>
  changeTake(id, from === 'notes' ? 'remove a note' : 'remove a move of the hand', (take) => {
    take[from].splice(n, 1)
  })

export function removeTake(id: string) {
  const take = getState().history.present.takes.find((one) => one.id === id)
  if (!take) return
  edit('remove a take', (session) => {
    session.takes = session.takes.filter((one) => one.id !== id)
  })
  notify({ tone: 'plain', kind: 'undo', text: `${take.name} removed`, undo: true })
}

export function changeTake(id: string, label: string, change: (take: Take) => void, gesture?: string) {
  edit(
    label,
    (session) => {
      const take = session.takes.find((one) => one.id === id)
      if (take) change(take)
    },
    gesture,
  )
}

/** Bring each note of a take to the nearest step of a tempo; each keeps its length. */
export function quantiseTake(id: string, bpm: number, stepsPerBeat: number) {
  changeTake(id, 'quantise a take', (take) => {
    const step = (60 / bpm / stepsPerBeat) * take.rate
    const first = take.notes.reduce((least, { on }) => Math.min(least, on), Number.POSITIVE_INFINITY)
    for (const note of take.notes) {
      // the take's own first note is its beat
      const moved = Math.round(first + Math.round((note.on - first) / step) * step) - note.on
      note.on += moved
      if (note.off !== undefined) note.off += moved
    }
    take.length = take.notes.reduce((most, { on, off }) => Math.max(most, off ?? on), take.length)
  })
}

/** Let another pick, or the keys, play a take. */
export function playTakeBy(id: string, pick: string | undefined) {
  changeTake(id, 'play a take by another', (take) => {
    for (const note of take.notes) {
      if (pick === undefined) delete note.pick
      else note.pick = pick
    }
    const { keys } = getState().history.present
    if (pick === undefined && keys) take.keys = { ...keys }
  })
}

let stop: AbortController | undefined

/**
 * What a take came to, as a file of 32-bit float: sample for sample what was heard.
 * @param only  ids of the instruments that are heard, as they were beside the others; all without.
 */
async function rendered(take: Take, only?: readonly string[]): Promise<Blob | undefined> {
  const own = new AbortController()
  const show = (progress: number) =>
    setState((now) => ({ exports: { ...now.exports, [TAKE_EXPORT]: { name: take.name, progress } } }))
  stop = own
  show(0)
  try {
    return (await renderTake(take, { signal: own.signal, show, ...(only && { only }) })).blob
  } catch (error) {
    if (!own.signal.aborted) tell(error)
    return undefined
  } finally {
    stop = undefined
    setState(({ exports: { [TAKE_EXPORT]: _, ...others } }) => ({ exports: others }))
  }
}

/**
 * The same, whoever asks.
 * @throws what the work failed by, or that it was stopped.
 */
export async function renderTake(
  take: Take,
  {
    signal,
    show,
    only,
  }: { readonly signal: AbortSignal; show(progress: number): void; readonly only?: readonly string[] },
): Promise<JobResults['take']> {
  const sourcesOf = new Map(getState().history.present.picks.map(({ id, source }) => [id, source]))
  await knowSizes([
    ...take.notes.flatMap(({ pick }) => (pick === undefined ? [] : (sourcesOf.get(pick) ?? []))),
    ...(take.keys ? [take.keys.source] : []),
  ])
  const state = getState()
  const { present: session } = state.history
  const played = new Set(take.notes.map(({ pick }) => pick ?? KEYS_ID))
  const instruments = instrumentsOf(state, session, take.keys).filter(({ order }) => played.has(order.id))
  const sounds: Record<string, { sound: Awaited<ReturnType<typeof soundOf>>; analysis: object }> = {}
  const given: { order: (typeof instruments)[number]['order']; sound: string }[] = []
  for (const { order, source } of instruments) {
    const sound = await soundOf(source)
    const analysis = await analysisOf(source, sound, order.recipe)
    const key = contentKey(source)
    sounds[key] = { sound, analysis }
    given.push({ order, sound: key })
  }
  // notes of a file that nothing plays yet
  if (!take.keys && take.notes.some(({ pick }) => pick === undefined)) {
    const { sampleRate, channels } = plainTone()
    sounds[PLAIN_TONE] = { sound: soundInMemory({ sampleRate, channels }), analysis: {} }
    given.push({ order: plainToneOrder(), sound: PLAIN_TONE })
  }
  const gone = take.notes.filter(
    ({ pick }) => pick !== undefined && !given.some(({ order }) => order.id === pick),
  ).length
  if (gone > 0)
    notify({
      tone: 'trouble',
      text: `${gone} notes of ${take.name} are left out: their picks are gone. Let another pick play it.`,
    })
  const notes = take.notes.map(
    ({ pick, key, velocity, on, off }): PlayedNote => ({
      instrument: pick ?? KEYS_ID,
      key,
      velocity,
      on,
      ...(off !== undefined && { off }),
    }),
  )
  const holds: Extract<Job, { kind: 'take' }>['holds'][number][] = []
  for (const { source: id, methodId, settings, semitones, jitterMs, spreadMs, seed, ...hold } of take.hands) {
    const source = session.sources.find((one) => one.id === id)
    if (!source || (only && !only.includes(HAND_ID))) continue
    const sound = await soundOf(source)
    const key = contentKey(source)
    const { shaping } = handOrderOf(source)
    sounds[key] ??= { sound, analysis: {} }
    const { off, ...led } = hold
    holds.push({
      sound: key,
      shaping,
      order: { methodId, settings, semitones, jitterMs, spreadMs, seed },
      gain: 1,
      ...led,
      ...(off !== undefined && { off }),
    })
  }
  return pool.run<'take'>(
    {
      kind: 'take',
      sounds,
      instruments: given,
      notes,
      holds,
      ...(only && { only }),
      order: { from: 0, to: take.length, rate: take.rate, format: '32f' },
      folder: take.length * 8 > 2 ** 26 ? scratchFolder() : undefined,
    },
    { signal, rank: 0, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
  )
}

const PLAIN_TONE = 'plain tone'

const plainToneOrder = (): Instrument => ({
  ...PLAIN_INSTRUMENT,
  id: KEYS_ID,
  recipe: {
    version: 1,
    stretch: 1,
    pitchSemitones: 0,
    formants: 'move',
    methodId: 'vocoder',
    settings: {},
    seed: 1,
  },
  root: PLAIN_TONE_KEY,
  play: 'loop',
  from: 0,
  to: 2.5,
  attackMs: 4,
  releaseMs: 120,
  gainDb: -9,
})

export const TAKE_EXPORT = 'take'
export const cancelTake = () => stop?.abort()

export const takeFileName = (take: Take) => `${fileBase(take.name)}.wav`

export async function takeToShelf(take: Take) {
  const blob = await rendered(take)
  if (blob) await bringIn([new File([blob], `${take.name}.wav`, { type: 'audio/wav' })])
}

/** what the hand led, among those that play a take */
const HAND_ID = 'the hand'

/** Who plays a take: ids of its instruments, and what they are called. */
export function playersOf(take: Take, picks: readonly PickMark[]): { readonly id: string; readonly name: string }[] {
  const ids = [...new Set(take.notes.map(({ pick }) => pick ?? KEYS_ID))]
  if (take.hands.length > 0) ids.push(HAND_ID)
  return ids.flatMap((id) => {
    if (id === HAND_ID) return [{ id, name: 'by hand' }]
    const name = id === KEYS_ID ? 'keys' : picks.find((pick) => pick.id === id)?.name
    return name === undefined ? [] : [{ id, name }]
  })
}

/**
 * A take on the timeline, from its playhead on: a part for each pick or keys that play it, each on a row of its own.
 * Together they are the take.
 */
export async function takeToTimeline(take: Take) {
  const { history, outlook } = getState()
  const players = playersOf(take, history.present.picks)
  let laid = 0
  for (const { id, name } of players) {
    const blob = await rendered(take, players.length > 1 ? [id] : undefined)
    // stopped, or told why not
    if (!blob) return
    const before = new Set(getState().history.present.sources.map((source) => source.id))
    const called = players.length > 1 ? `${take.name}, ${name}` : take.name
    await bringIn([new File([blob], `${called}.wav`, { type: 'audio/wav' })])
    const made = getState().history.present.sources.find((source) => !before.has(source.id))
    if (!made) return
    // it was played in seconds, whatever tempo is found in it
    layAt(made.id, outlook.beat, undefined, 'seconds')
    laid++
  }
  if (laid === 0) return
  const parts = laid === 1 ? 'one part' : `${laid} parts, one for each that plays it`
  notify({ tone: 'plain', text: `${take.name} lies on the timeline, from its playhead on: ${parts}` })
}

/** Hear a take again: the very samples that were heard. */
export async function hearTake(take: Take) {
  const blob = await rendered(take)
  if (!blob) return
  const sound = await pool.run<'open'>({ kind: 'open', blob, file: takeFileName(take) }, { rank: 0 })
  await playback.audition({ sound, stretch: 1, methodId: 'wsola', analysis: {}, gain: 1 })
}

export const stopHearing = () => playback.stopAudition()
