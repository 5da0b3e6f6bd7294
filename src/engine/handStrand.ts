import {
  type AudioBlock,
  atRate,
  type Channels,
  createEnvelope,
  createHand,
  type Envelope,
  type Hand,
  type HandOrder,
  silence,
  type Voice,
} from '../core'
import { downmixInto } from '../core/audio/downmix'
import { type Guest, KEPT_FRAMES, type Overdub } from './overdub'
import { MARK_FRAMES } from './ring'
import { levelFrom, type Strand, type StrandBlock, silentBlock } from './strands'

/** how long a place takes to become another one under the hand, s */
const GO_SECONDS = 0.012
const RISE_SECONDS = 0.02
const FALL_SECONDS = 0.08
const NEVER = 2 ** 50

interface Held {
  readonly hand: Hand
  readonly voice: Voice
  /** what a block of the sound is read into, before it is mixed down */
  readonly block: Channels
  readonly strand: Strand
  readonly envelope: Envelope
  /** written frame at which it began */
  readonly begins: number
  /** frames of the sound for one of the output */
  readonly scale: number
}

/**
 * The hand over what plays. Where it goes is laid over what is written: what was read for where it was is read again
 * from there on.
 */
export function createHandStrand(overdub: Overdub, rate: number) {
  const { strands } = overdub
  const scratch = silentBlock()
  let held: readonly Held[] = []

  function readInto(out: StrandBlock, { voice, block, begins }: Held, at: number) {
    voice.read(at - begins, block)
    downmixInto(out.left, out.right, block)
    return out
  }

  /** What is written from a frame on is read again. */
  function again(own: Held, from: number, fade: number) {
    const blocks: StrandBlock[] = []
    for (let at = from; at < strands.written; at += MARK_FRAMES) blocks.push(readInto(silentBlock(), own, at))
    strands.lay(own.strand, blocks, from, from, fade)
  }

  const guest: Guest = {
    write(at) {
      for (const own of held) {
        if (own.begins + own.envelope.end <= at) continue
        readInto(scratch, own, at)
        strands.put(own.strand, scratch.left, scratch.right)
      }
      const gone = held.filter(({ begins, envelope }) => begins + envelope.end <= at - KEPT_FRAMES)
      if (gone.length === 0) return
      held = held.filter((own) => !gone.includes(own))
      strands.remove(gone.map(({ strand }) => strand))
    },
    get sounds() {
      return held.some(({ begins, envelope }) => begins + envelope.end > strands.written)
    },
  }
  overdub.join(guest)

  const current = () => held.at(-1)
  const isHeld = (own: Held | undefined): own is Held => own !== undefined && own.envelope.released === undefined

  return {
    /** Hold a place of a sound: frames of it, and how fast it goes on by itself, 1 as it was played. */
    hold(audio: AudioBlock, order: HandOrder, gain: number, place: number, speed: number) {
      this.letGo()
      const begins = strands.free()
      const scale = audio.sampleRate / rate
      const hand = createHand(audio, order, place, speed)
      const { channelCount } = hand
      const envelope = createEnvelope({
        frames: NEVER,
        fadeIn: Math.round(RISE_SECONDS * rate),
        fadeOut: 1,
      })
      const strand = strands.add(gain, levelFrom(envelope, begins))
      const voice = atRate({ voice: hand.voice, channelCount, sampleRate: audio.sampleRate }, rate)
      const block = silence(channelCount, MARK_FRAMES)
      const own: Held = { hand, voice, block, strand, envelope, begins, scale }
      held = [...held, own]
      again(own, begins, 0)
      strands.rewrite(begins)
    },
    /** Go to another place, and on from there at a speed. */
    move(place: number, speed: number) {
      const own = current()
      if (!isHeld(own)) return
      const from = strands.free()
      own.hand.lead((from - own.begins) * own.scale, place, GO_SECONDS * rate * own.scale, speed)
      again(own, from, MARK_FRAMES)
      strands.rewrite(from)
    },
    letGo() {
      const own = current()
      if (!isHeld(own)) return
      const from = strands.free()
      own.envelope.release(from - own.begins, Math.round(FALL_SECONDS * rate))
      strands.rewrite(from)
    },
  }
}

export type HandStrand = ReturnType<typeof createHandStrand>
