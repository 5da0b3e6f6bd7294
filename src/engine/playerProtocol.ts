import type { Analysis, Arrangement, HandOrder, Instrument, PlayedNote, Shaping } from '../core'
import type { WireError } from '../host/errorWire'
import type { Click, Jump } from './arranger'
import type { Program } from './laneMixer'
import type { ClickTrack } from './metronome'
import type { NotedEvent, NoteEvent } from './notes'
import type { AuditionStart } from './overdub'
import type { RingMemory } from './ring'
import type { Sound } from './sound'

/** A sound that parts of a timeline are of: `key` tells its content, so that it is opened once. */
export interface MixSound {
  readonly key: string
  readonly sound: Sound
  readonly analysis: Analysis
}

/** An instrument and the sound that it plays. */
export interface GivenInstrument {
  readonly order: Instrument
  /** what the order goes by: the key of a sound that is given */
  readonly sound: string
}

/** Beats that come round and round while the output stands, clicked, behind one bar of clicks alone. */
export interface RoundOrder {
  readonly bpm: number
  /** once round */
  readonly beats: number
  readonly beatsPerBar: number
  /** of the click, as a factor */
  readonly clickGain: number
}

/** What a hand does: frames of the sound, and how fast it goes on by itself. */
export type HandEvent =
  | {
      readonly kind: 'hold'
      /** tells it from all other holds */
      readonly hold: number
      /** key of a sound that was given with the instruments */
      readonly sound: string
      readonly order: HandOrder
      readonly shaping: Shaping
      readonly gain: number
      readonly place: number
      readonly speed: number
    }
  | { readonly kind: 'move'; readonly place: number; readonly speed: number }
  | { readonly kind: 'let go' }

/** What the hand did, and the frame of what is written at which that came to be heard. */
export interface LedEvent {
  readonly hold: number
  readonly kind: HandEvent['kind']
  readonly frame: number
  readonly place: number
  readonly speed: number
}

/** What the page tells the player worker. */
export type PlayerMessage =
  | { readonly type: 'open'; readonly ring: RingMemory }
  | { readonly type: 'source'; readonly sound: Sound }
  | { readonly type: 'analysis'; readonly analysis: Analysis }
  | { readonly type: 'program'; readonly program: Program }
  | { readonly type: 'play'; readonly sourceFrame: number; readonly turn: number }
  | { readonly type: 'seek'; readonly sourceFrame: number }
  | { readonly type: 'stop' }
  | { readonly type: 'click'; readonly track: ClickTrack | undefined }
  /** `outputRate` is what the output runs at, Hz */
  | { readonly type: 'audition'; readonly start: AuditionStart; readonly outputRate: number }
  | { readonly type: 'stopAudition' }
  /**
   * sounds of the timeline, by what its parts call them; the others are let go of. Those that are as they were before
   * stay the very same, with all that was made of them.
   */
  | { readonly type: 'mixSounds'; readonly sounds: Readonly<Record<string, MixSound | 'as before'>> }
  | { readonly type: 'arrangement'; readonly arrangement: Arrangement; readonly click: Click }
  | {
      readonly type: 'playMix'
      readonly beat: number
      /** beats of click alone before that */
      readonly leadBeats: number
      readonly outputRate: number
      readonly turn: number
    }
  | { readonly type: 'goTo'; readonly beat: number }
  | { readonly type: 'jump'; readonly jump: Jump | undefined }
  /** all instruments that may be played from now on; those that are as they were before stay ready */
  | {
      readonly type: 'instruments'
      readonly sounds: Readonly<Record<string, MixSound | 'as before'>>
      readonly instruments: readonly GivenInstrument[]
    }
  /** have the output run, silent, so that notes are heard at once */
  | { readonly type: 'stand'; readonly outputRate: number; readonly turn: number }
  /** events that came at once */
  | { readonly type: 'notes'; readonly events: readonly NoteEvent[] }
  | { readonly type: 'hush' }
  /** begin to go round; undefined ends that */
  | { readonly type: 'round'; readonly order: RoundOrder | undefined }
  /** what comes round from now on, frames from the start of a round */
  | { readonly type: 'roundNotes'; readonly notes: readonly PlayedNote[] }
  | { readonly type: 'hand'; readonly event: HandEvent }

/** What the player worker tells the page. */
export type PlayerReport =
  | { readonly type: 'ended'; readonly turn: number }
  /** a queued jump was made, or can no longer be */
  | { readonly type: 'jumped' }
  /** instruments that can be played now, of those that were given */
  | { readonly type: 'ready'; readonly ids: readonly string[] }
  /** an instrument cannot be got ready */
  | { readonly type: 'unplayable'; readonly id: string; readonly error: WireError }
  /** what was played came to be heard */
  | { readonly type: 'noted'; readonly events: readonly NotedEvent[] }
  /** something was laid over what plays after the output had taken its start */
  | { readonly type: 'late' }
  /** when what the hand did came to be heard */
  | { readonly type: 'led'; readonly event: LedEvent }
  /** where the first time round begins, and how long once round is: frames of what is written */
  | { readonly type: 'round'; readonly begins: number; readonly frames: number }
  | { readonly type: 'failed'; readonly error: WireError; readonly turn: number }
