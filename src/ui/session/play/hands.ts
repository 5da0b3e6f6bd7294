import type { NoteEvent } from '../../../engine'
import { KEYS_ID, PAD_KEY } from '../../../session'
import { startsOf } from '../hear/audition'
import { playback } from '../hear/listening'
import { store } from '../state/store'
import { handRate } from './instruments'
import { struckInRound } from './rounds'
import { noteTaken } from './takes'

/** What hands do: pads and keys struck and let go, by pointer, computer keys, or a keyboard that is connected. */

const { getState, setState } = store

let count = 0
/** notes that are held, by what holds them */
const held = new Map<string, { readonly note: number; readonly instrument: string; readonly key: number }>()
let pending: NoteEvent[] = []

/** Events of one turn of the event loop go together: the notes of a chord begin at one frame. */
function send(event: NoteEvent) {
  pending.push(event)
  if (pending.length > 1) return
  queueMicrotask(() => {
    const events = pending
    pending = []
    playback.playNotes(events)
  })
}

let showing = false

/** What is held is shown with the next frame: the ear goes first. */
function showHeld() {
  if (showing) return
  showing = true
  requestAnimationFrame(() => {
    showing = false
    setHeld()
  })
}

function setHeld() {
  setState({
    struck: new Set(
      [...held.values()].map(({ instrument, key }) => (instrument === KEYS_ID ? `key ${key}` : instrument)),
    ),
  })
}

/** how hard a pointer or a computer key strikes */
const PLAIN_VELOCITY = 0.8

/** Strike: `by` tells what holds it, and lets it go. */
export function strike(by: string, instrument: string, key = PAD_KEY, velocity = PLAIN_VELOCITY) {
  if (held.has(by)) letGo(by)
  const note = ++count
  held.set(by, { note, instrument, key })
  const state = getState()
  const at = startsOf(state, state.outlook.noteStart)
  send({ kind: 'on', note, instrument, key, velocity, ...(at && { at }) })
  const struck = { note, instrument, key, velocity }
  noteTaken(struck)
  struckInRound(struck)
  showHeld()
}

export function letGo(by: string) {
  const own = held.get(by)
  if (!own) return
  held.delete(by)
  send({ kind: 'off', note: own.note })
  showHeld()
}

/** Nothing is held any more: the window lost the keys, or the view was left. */
export function letAllGo() {
  for (const by of [...held.keys()]) letGo(by)
}

/** Have the output run, so that what is struck is heard at once. */
export function standBy() {
  const state = getState()
  const { outlook, playing, mixPlaying } = state
  if (outlook.view !== 'play' || playing || mixPlaying || playback.playing === 'hand') return
  void playback.stand(handRate(state))
}
