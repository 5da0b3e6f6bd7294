import { type AudioBlock, silence } from '../audio/block'
import { downmixInto } from '../audio/downmix'
import { atRate } from '../render/atRate'
import { createHand, type HandOrder } from './hand'
import { createEnvelope, type Envelope } from './noteVoice'

/** frames that are read at once; a place is led at their borders */
export const HAND_BLOCK = 128
/** how long a place takes to become another one under the hand, s */
const GO_SECONDS = 0.012
const RISE_SECONDS = 0.02
/** how long what is let go still sounds, s */
export const HAND_FALL_SECONDS = 0.08
const NEVER = 2 ** 50

export interface StereoBlock {
  readonly left: Float32Array
  readonly right: Float32Array
}

/** A place that is held, led and let go over an output, in stereo at its rate. Frames are those of the output. */
export interface HandRun {
  readonly begins: number
  readonly envelope: Envelope
  /** Read the block that begins at a frame, without its envelope. */
  readInto(out: StereoBlock, at: number): StereoBlock
  /** From a frame on it goes to another place of the source, and on from there at a speed. */
  lead(frame: number, place: number, speed: number): void
  letGo(frame: number): void
}

/**
 * Hold a place of a sound.
 * @param place  a frame of the sound.
 * @param speed  how fast it goes on by itself, 1 as it was played.
 * @throws {RangeError} as `createHand`.
 */
export function openHandRun(
  audio: AudioBlock,
  order: HandOrder,
  rate: number,
  begins: number,
  place: number,
  speed: number,
): HandRun {
  const scale = audio.sampleRate / rate
  const hand = createHand(audio, order, place, speed)
  const { channelCount } = hand
  const envelope = createEnvelope({ frames: NEVER, fadeIn: Math.round(RISE_SECONDS * rate), fadeOut: 1 })
  const voice = atRate({ voice: hand.voice, channelCount, sampleRate: audio.sampleRate }, rate)
  const block = silence(channelCount, HAND_BLOCK)
  return {
    begins,
    envelope,
    readInto(out, at) {
      voice.read(at - begins, block)
      downmixInto(out.left, out.right, block)
      return out
    },
    lead(frame, next, onward) {
      hand.lead((frame - begins) * scale, next, GO_SECONDS * rate * scale, onward)
    },
    letGo(frame) {
      envelope.release(frame - begins, Math.round(HAND_FALL_SECONDS * rate))
    },
  }
}

/** A place as it was held and led, whole. Frames of the output, at borders of blocks. */
export interface PlayedHold {
  readonly audio: AudioBlock
  readonly order: HandOrder
  readonly gain: number
  readonly on: number
  readonly place: number
  readonly speed: number
  readonly moves: readonly { readonly at: number; readonly place: number; readonly speed: number }[]
  /** when it was let go; it is held to the end without */
  readonly off?: number
}

const newBlock = (): StereoBlock => ({ left: new Float32Array(HAND_BLOCK), right: new Float32Array(HAND_BLOCK) })

/** Such a hold, read from its start on: the very samples that were heard while it was led. */
export function replayHold(hold: PlayedHold, rate: number) {
  const run = openHandRun(hold.audio, hold.order, rate, hold.on, hold.place, hold.speed)
  const [now, next] = [newBlock(), newBlock()]
  let moved = 0
  return {
    run,
    gain: hold.gain,
    /** The next block, with all that was led at its start. */
    read(at: number): StereoBlock {
      run.readInto(now, at)
      for (let move = hold.moves[moved]; move && move.at <= at; move = hold.moves[++moved]) {
        run.lead(move.at, move.place, move.speed)
        run.readInto(next, at)
        // as it was laid over what was written
        for (let i = 0; i < HAND_BLOCK; i++) {
          const weight = i / HAND_BLOCK
          now.left[i] = (1 - weight) * (now.left[i] as number) + weight * (next.left[i] as number)
          now.right[i] = (1 - weight) * (now.right[i] as number) + weight * (next.right[i] as number)
        }
      }
      if (hold.off !== undefined && hold.off < at + HAND_BLOCK && run.envelope.released === undefined)
        run.letGo(hold.off)
      return now
    },
  }
}
