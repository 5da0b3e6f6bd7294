import { type MidiEvent, parseMidi } from 'midi-file'
import { AppError } from '../core'

/** A note of a MIDI file, on the file's own clock. */
export interface FileNote {
  readonly onSeconds: number
  readonly offSeconds: number
  /** 69 is A at 440 Hz */
  readonly key: number
  /** 0 to 1 */
  readonly velocity: number
}

const DRUMS = 9
const SUSTAIN = 64
const PLAIN_TEMPO_US = 500_000

/**
 * The notes of a MIDI file, in the order in which they begin; its tempo changes are followed, the sustain pedal holds
 * what is let go under it.
 * @throws {AppError} `midi/unreadable`; `midi/no-notes`.
 */
export function readNotes(bytes: Uint8Array, file: string): FileNote[] {
  let midi: ReturnType<typeof parseMidi>
  try {
    midi = parseMidi(bytes)
  } catch (error) {
    throw new AppError('midi/unreadable', { file }, error)
  }
  const { ticksPerBeat, framesPerSecond, ticksPerFrame } = midi.header
  const events = midi.tracks
    .flatMap((track, t) => {
      let tick = 0
      return track.map((event, n) => {
        tick += event.deltaTime
        return { tick, event, t, n }
      })
    })
    .sort((a, b) => a.tick - b.tick || a.t - b.t || a.n - b.n)
  const fixed = framesPerSecond && ticksPerFrame ? 1 / (framesPerSecond * ticksPerFrame) : undefined
  if (fixed === undefined && !(ticksPerBeat && ticksPerBeat > 0)) throw new AppError('midi/unreadable', { file })
  let secondsPerTick = fixed ?? PLAIN_TEMPO_US / 1e6 / (ticksPerBeat as number)
  let [lastTick, seconds] = [0, 0]
  const held = new Map<string, { readonly onSeconds: number; readonly key: number; readonly velocity: number }[]>()
  const pedal = new Set<number>()
  /** keys that were let go under the pedal, by channel */
  const hanging = new Map<number, string[]>()
  const notes: FileNote[] = []

  const end = (id: string) => {
    const note = held.get(id)?.shift()
    if (note && seconds > note.onSeconds) notes.push({ ...note, offSeconds: seconds })
  }
  for (const { tick, event } of events) {
    seconds += (tick - lastTick) * secondsPerTick
    lastTick = tick
    handle(event)
  }
  for (const [id, left] of held) for (let n = left.length; n > 0; n--) end(id)
  notes.sort((a, b) => a.onSeconds - b.onSeconds || a.key - b.key)
  if (notes.length === 0) throw new AppError('midi/no-notes', { file })
  return notes

  function handle(event: MidiEvent) {
    if (event.type === 'setTempo') {
      if (fixed === undefined) secondsPerTick = event.microsecondsPerBeat / 1e6 / (ticksPerBeat as number)
      return
    }
    if (!('channel' in event) || event.channel === DRUMS) return
    const { channel } = event
    if (event.type === 'controller' && event.controllerType === SUSTAIN) {
      if (event.value >= 64) pedal.add(channel)
      else {
        pedal.delete(channel)
        for (const id of hanging.get(channel) ?? []) end(id)
        hanging.delete(channel)
      }
    } else if (event.type === 'noteOn' && event.velocity > 0) {
      const id = `${channel} ${event.noteNumber}`
      const note = { onSeconds: seconds, key: event.noteNumber, velocity: event.velocity / 127 }
      held.set(id, [...(held.get(id) ?? []), note])
    } else if (event.type === 'noteOff' || event.type === 'noteOn') {
      const id = `${channel} ${event.noteNumber}`
      if (pedal.has(channel)) hanging.set(channel, [...(hanging.get(channel) ?? []), id])
      else end(id)
    }
  }
}

const NAMES: Readonly<Record<string, number>> = { c: 0, d: 2, e: 4, f: 5, g: 7, a: 9, b: 11 }

/** A root as people write it: a note (A4, f#3, Eb2) or Hz (220, 220Hz), as a key; undefined for what is neither. */
export function readRoot(text: string): number | undefined {
  const note = /^([a-g])([#b♯♭]?)(-?\d)$/i.exec(text.trim())
  if (note) {
    const [, name = '', sign = '', octave = '0'] = note
    const shift = sign === '' ? 0 : '#♯'.includes(sign) ? 1 : -1
    return 12 * (Number(octave) + 1) + (NAMES[name.toLowerCase()] as number) + shift
  }
  const hz = Number(text.trim().replace(/\s*hz$/i, ''))
  return text.trim() !== '' && Number.isFinite(hz) && hz >= 8 && hz <= 20_000 ? keyOfHz(hz) : undefined
}

/** 69 is 440 Hz. */
export const keyOfHz = (hz: number) => 69 + 12 * Math.log2(hz / 440)

const KEY_NAMES = ['C', 'C♯', 'D', 'E♭', 'E', 'F', 'F♯', 'G', 'A♭', 'A', 'B♭', 'B']

/** A key by its note and octave, and how many cents it lies beside it. */
export function keyText(key: number): string {
  const near = Math.round(key)
  const cents = Math.round(100 * (key - near))
  const name = `${KEY_NAMES[((near % 12) + 12) % 12]}${Math.floor(near / 12) - 1}`
  return cents === 0 ? name : `${name} ${cents > 0 ? '+' : '−'}${Math.abs(cents)} c`
}
