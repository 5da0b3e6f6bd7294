import { type AudioBlock, type HandOrder, type HandRun, openHandRun } from '../core'
import { type Guest, KEPT_FRAMES, type Overdub } from './overdub'
import { MARK_FRAMES } from './ring'
import { levelFrom, type Strand, type StrandBlock, silentBlock } from './strands'

interface Held {
  readonly run: HandRun
  readonly strand: Strand
}

/**
 * The hand over what plays. Where it goes is laid over what is written: what was read for where it was is read again
 * from there on. Each call tells the written frame at which it came to be heard.
 */
export function createHandStrand(overdub: Overdub, rate: number) {
  const { strands } = overdub
  const scratch = silentBlock()
  let held: readonly Held[] = []

  const endOf = ({ run: { begins, envelope } }: Held) => begins + envelope.end

  /** What is written from a frame on is read again. */
  function again({ run, strand }: Held, from: number, fade: number) {
    const blocks: StrandBlock[] = []
    for (let at = from; at < strands.written; at += MARK_FRAMES) blocks.push(run.readInto(silentBlock(), at))
    strands.lay(strand, blocks, from, from, fade)
  }

  const guest: Guest = {
    write(at) {
      for (const own of held) {
        if (endOf(own) <= at) continue
        own.run.readInto(scratch, at)
        strands.put(own.strand, scratch.left, scratch.right)
      }
      const gone = held.filter((own) => endOf(own) <= at - KEPT_FRAMES)
      if (gone.length === 0) return
      held = held.filter((own) => !gone.includes(own))
      strands.remove(gone.map(({ strand }) => strand))
    },
    get sounds() {
      return held.some((own) => endOf(own) > strands.written)
    },
  }
  overdub.join(guest)

  const current = () => held.at(-1)
  const isHeld = (own: Held | undefined): own is Held => own !== undefined && own.run.envelope.released === undefined

  return {
    /** Hold a place of a sound: frames of it, and how fast it goes on by itself, 1 as it was played. */
    hold(audio: AudioBlock, order: HandOrder, gain: number, place: number, speed: number): number {
      const begins = strands.free()
      const run = openHandRun(audio, order, rate, begins, place, speed)
      const own: Held = { run, strand: strands.add(gain, levelFrom(run.envelope, begins)) }
      held = [...held, own]
      again(own, begins, 0)
      strands.rewrite(begins)
      return begins
    },
    /** Go to another place, and on from there at a speed. */
    move(place: number, speed: number): number | undefined {
      const own = current()
      if (!isHeld(own)) return undefined
      const from = strands.free()
      own.run.lead(from, place, speed)
      again(own, from, MARK_FRAMES)
      strands.rewrite(from)
      return from
    },
    letGo(): number | undefined {
      const own = current()
      if (!isHeld(own)) return undefined
      const from = strands.free()
      own.run.letGo(from)
      strands.rewrite(from)
      return from
    },
  }
}

export type HandStrand = ReturnType<typeof createHandStrand>
