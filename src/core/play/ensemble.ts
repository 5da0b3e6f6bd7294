import type { ReadyInstrument } from './instrument'
import { createEnvelope, type Envelope, type NoteVoice, openNote } from './noteVoice'

/** A note as it was played: frames of the output. Plain data. */
export interface PlayedNote {
  readonly instrument: string
  readonly key: number
  /** 0 to 1 */
  readonly velocity: number
  readonly on: number
  /** when it was let go; it sounds to its end without */
  readonly off?: number
}

/** A note that sounds. */
export interface Sounding {
  readonly note: number
  readonly instrument: ReadyInstrument
  readonly key: number
  readonly voice: NoteVoice
  readonly envelope: Envelope
  /** the frame of the output that its first one lies at */
  readonly begins: number
}

/** notes that give way begin to so long behind who takes their place, and are gone within this, s */
const GIVE_WAY_BEHIND_SECONDS = 0.02
const GIVE_WAY_SECONDS = 0.012
/** the shortest release that does not click, s */
const LEAST_RELEASE_SECONDS = 0.008

/**
 * Who sounds when: notes come and go in the order of their frames, by one rule whether they are played or rendered.
 * Of an instrument with all its voices taken the oldest gives way; of a group only one sounds.
 */
export function createEnsemble(rate: number) {
  let sounding: Sounding[] = []
  const lastKey = new Map<string, number>()
  const giveWay = Math.round(GIVE_WAY_SECONDS * rate)
  const behind = Math.round(GIVE_WAY_BEHIND_SECONDS * rate)

  const endOf = ({ begins, envelope }: Sounding) => begins + envelope.end
  const letGo = (one: Sounding, frame: number, frames: number) => one.envelope.release(frame - one.begins, frames)

  return {
    get sounding(): readonly Sounding[] {
      return sounding
    },
    endOf,
    /** Open a note without letting it sound yet: that may take a while. */
    open(instrument: ReadyInstrument, key: number, velocity: number): NoteVoice {
      const { order } = instrument
      const from = order.voices === 1 ? lastKey.get(order.id) : undefined
      lastKey.set(order.id, key)
      return openNote(instrument, key, velocity, rate, from)
    },
    /** Let an opened note begin at a frame; whoever has to give way does so. */
    begin(note: number, instrument: ReadyInstrument, key: number, voice: NoteVoice, begins: number): Sounding {
      const { id, group, voices } = instrument.order
      const alive = sounding.filter((one) => endOf(one) > begins)
      for (const one of alive) {
        if (group !== undefined && one.instrument.order.group === group && one.instrument.order.id !== id)
          letGo(one, begins + behind, giveWay)
      }
      // what gives way already is counted out
      const own = alive.filter(
        (one) =>
          one.instrument.order.id === id &&
          !(endOf(one) <= begins + behind + giveWay && one.envelope.released !== undefined),
      )
      for (const one of own.slice(0, Math.max(0, own.length - voices + 1))) letGo(one, begins + behind, giveWay)
      const next: Sounding = { note, instrument, key, voice, envelope: createEnvelope(voice), begins }
      sounding.push(next)
      return next
    },
    /** A key was let go at a frame. */
    release(note: number, frame: number) {
      for (const one of sounding) {
        if (one.note !== note || one.instrument.order.play === 'through') continue
        const seconds = Math.max(LEAST_RELEASE_SECONDS, one.instrument.order.releaseMs / 1000)
        letGo(one, frame, Math.round(seconds * rate))
      }
    },
    /** All fades away. */
    hush(frame: number) {
      for (const one of sounding) letGo(one, frame, giveWay)
    },
    /** Forget notes that are silent from a frame on. @returns those that are gone. */
    sweep(frame: number): readonly Sounding[] {
      const gone = sounding.filter((one) => endOf(one) <= frame)
      if (gone.length > 0) sounding = sounding.filter((one) => endOf(one) > frame)
      return gone
    },
  }
}

export type Ensemble = ReturnType<typeof createEnsemble>

/**
 * Lay a note's raw frames under its envelope onto a sum, as both the player and the renderer do.
 * @param at  the frame of the output that the arrays begin at.
 */
export function addNote(
  { envelope, begins }: Pick<Sounding, 'envelope' | 'begins'>,
  raw: { readonly left: Float32Array; readonly right: Float32Array },
  at: number,
  left: Float32Array,
  right: Float32Array,
  gain = 1,
) {
  const steady = envelope.steady(at - begins, at - begins + left.length)
  if (steady === 0) return
  for (let i = 0; i < left.length; i++) {
    const level = gain * (steady ?? envelope.at(at + i - begins))
    left[i] = (left[i] as number) + level * (raw.left[i] as number)
    right[i] = (right[i] as number) + level * (raw.right[i] as number)
  }
}
