import { dbToAmplitude, type PlayedNote } from '../../../core'
import type { NotedEvent } from '../../../engine'
import { KEYS_ID, type Take } from '../../../session'
import { edit } from '../edits'
import { playback } from '../hear/listening'
import { notify } from '../state/notices'
import { store } from '../state/store'
import { handRate } from './instruments'
import type { Struck } from './takes'

/**
 * Overdubs: some bars go round and round with the click, what is struck is heard again each time, and more is played
 * over it. They end as a take.
 */

const { getState, setState } = store

interface RoundNote {
  readonly note: Take['notes'][number]
  /** which time round it was struck in, from 0 on */
  readonly time: number
}

interface Going {
  readonly beats: number
  readonly beatsPerBar: number
  readonly struck: Map<number, Struck>
  readonly ons: Map<number, number>
  /** frames of what is written; known once the player has begun */
  begins: number | undefined
  frames: number
  notes: RoundNote[]
}

let going: Going | undefined

function show() {
  setState({
    round: going && { beats: going.beats, beatsPerBar: going.beatsPerBar, notes: going.notes.length },
  })
}

/** Begin to go round: behind one bar of clicks. */
export async function beginRound() {
  endRound()
  const { present: session } = getState().history
  const { bpm, beatsPerBar } = session
  const beats = getState().outlook.roundBars * beatsPerBar
  if (playback.playing !== 'hand') {
    if (playback.playing) playback.stop()
    await playback.stand(handRate(getState()))
  }
  if (playback.playing !== 'hand') return
  going = { beats, beatsPerBar, struck: new Map(), ons: new Map(), begins: undefined, frames: 0, notes: [] }
  playback.goRound({ bpm, beats, beatsPerBar, clickGain: dbToAmplitude(session.click.gainDb) })
  show()
}

/** The player says where the first time round begins. */
export function roundBegun({ begins, frames }: { readonly begins: number; readonly frames: number }) {
  if (going) Object.assign(going, { begins, frames })
}

export function struckInRound(struck: Struck) {
  going?.struck.set(struck.note, struck)
}

/** What is struck early by less than this much of a beat, before the first bar, is its first beat. */
const EARLY_BEATS = 0.5

/** The player says when what was struck came to be heard: once it was let go, it comes round. */
export function roundNoted(events: readonly NotedEvent[]) {
  const own = going
  if (!own || own.begins === undefined) return
  for (const { kind, note, frame } of events) {
    if (kind === 'on') own.ons.set(note, frame)
    else take(own, note, frame)
  }
}

function take(own: Going, note: number, off: number) {
  const struck = own.struck.get(note)
  const on = own.ons.get(note)
  if (!struck || on === undefined || own.begins === undefined) return
  own.ons.delete(note)
  const early = own.begins - EARLY_BEATS * (own.frames / own.beats)
  if (on < early) return
  const place = Math.max(0, on - own.begins)
  const time = Math.floor(place / own.frames)
  const start = Math.round(place - time * own.frames)
  const { instrument, key, velocity } = struck
  own.notes.push({
    time,
    note: {
      ...(instrument !== KEYS_ID && { pick: instrument }),
      key,
      velocity,
      on: start,
      off: start + Math.max(1, off - on),
    },
  })
  tell(own)
}

function tell(own: Going) {
  playback.setRoundNotes(
    own.notes.map(
      ({ note: { pick, key, velocity, on, off } }): PlayedNote => ({
        instrument: pick ?? KEYS_ID,
        key,
        velocity,
        on,
        ...(off !== undefined && { off }),
      }),
    ),
  )
  show()
}

/** Take back what was played the last time round in which anything was. */
export function takeBackRound() {
  const own = going
  if (!own || own.notes.length === 0) return
  const last = Math.max(...own.notes.map(({ time }) => time))
  own.notes = own.notes.filter(({ time }) => time !== last)
  tell(own)
}

/** Go round no more. What was played is a take. */
export function endRound() {
  const own = going
  if (!own) return
  // what is still held lasts to the end of the round
  for (const [note, on] of own.ons) {
    const place = Math.max(0, on - (own.begins ?? on))
    take(own, note, on + Math.max(1, Math.round(own.frames - (place % own.frames))))
  }
  going = undefined
  playback.goRound(undefined)
  show()
  if (own.notes.length === 0) {
    notify({ tone: 'plain', text: 'Nothing was played. Strike pads or keys while the bars go round.' })
    return
  }
  const { keys, takes } = getState().history.present
  const notes = own.notes.map(({ note }) => note).sort((a, b) => a.on - b.on)
  edit('record a take', (session) => {
    session.takes.push({
      id: crypto.randomUUID(),
      name: `Take ${takes.length + 1}`,
      rate: playback.outputRate() ?? 48_000,
      length: Math.round(own.frames),
      ...(keys && notes.some(({ pick }) => pick === undefined) && { keys: { ...keys } }),
      notes,
      hands: [],
    })
  })
}
