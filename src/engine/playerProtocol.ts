import type { Analysis } from '../core'
import type { WireError } from '../host/errorWire'
import type { Program } from './laneMixer'
import type { ClickTrack } from './metronome'
import type { AuditionStart } from './overdub'
import type { RingMemory } from './ring'
import type { Sound } from './sound'

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

/** What the player worker tells the page. */
export type PlayerReport =
  | { readonly type: 'ended'; readonly sourceFrame: number; readonly turn: number }
  | { readonly type: 'failed'; readonly error: WireError; readonly turn: number }
