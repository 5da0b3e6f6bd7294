import { type Audition, type AuditionOrder, openAudition } from './audition'
import { type ClickTrack, createMetronome, crossings } from './metronome'
import { MARK_FRAMES, RING_FRAMES, type Ring } from './ring'
import { createStrands, type Room, type Strand, type StrandBlock, silentBlock } from './strands'

/** When an audition begins: at once, or when what plays next passes one of these places. */
export interface AuditionStart {
  readonly order: AuditionOrder
  /** as marks count: frames of the source, or beats of the timeline */
  readonly at: Float64Array | undefined
}

const FADE_BLOCKS = 2
/** a stroke of the click that began so many blocks ago may still sound */
const STROKE_BLOCKS = 48

/**
 * What plays, the click over it and what is auditioned over both, each a strand.
 * What plays is written well ahead, so that it never runs dry.
 * What is auditioned is laid over what is written already, so that it is heard almost at once.
 */
export function createOverdub(ring: Ring, rate: number, room?: Room) {
  const strands = createStrands(ring, rate, room)
  const main = strands.add()
  const clicks = strands.add()
  const left = new Float32Array(MARK_FRAMES)
  const right = new Float32Array(MARK_FRAMES)
  let metronome = createMetronome(rate)
  let click: ClickTrack | undefined
  let waiting: AuditionStart | undefined
  /** auditions that sound; `begins` is the written frame at which their first frame lies */
  let sounding: Sounding[] = []
  /** others who have brought strands of their own */
  let guests: readonly Guest[] = []

  function begin(order: AuditionOrder, begins: number) {
    leave(begins)
    const own = { strand: strands.add(), audition: openAudition(order, rate), begins, endsAt: Number.POSITIVE_INFINITY }
    sounding.push(own)
    const first = begins - (begins % MARK_FRAMES)
    const blocks: StrandBlock[] = []
    for (let at = first; at < strands.written; at += MARK_FRAMES) {
      const block = silentBlock()
      own.audition.read(at - begins, block.left, block.right)
      blocks.push(block)
    }
    strands.lay(own.strand, blocks, first, first, 0)
  }

  /** Let what sounds fade away right behind a written frame. */
  function leave(at: number) {
    for (const own of sounding) {
      strands.setGain(own.strand, 0, at, (FADE_BLOCKS * MARK_FRAMES) / rate)
      own.endsAt = Math.min(own.endsAt, at + FADE_BLOCKS * MARK_FRAMES)
    }
  }

  const endOf = ({ audition, begins, endsAt }: Sounding) => Math.min(endsAt, begins + audition.frames)

  /** where what plays will be in what is written next */
  let nextMark = -1

  /** The click of what is written from a frame on, by where that is said to be: strokes that began before go on. */
  function clickAgain(from: number) {
    metronome = createMetronome(rate)
    const first = Math.max(0, from - STROKE_BLOCKS * MARK_FRAMES)
    const blocks: StrandBlock[] = []
    for (let at = first; at < strands.written; at += MARK_FRAMES) {
      const block = silentBlock()
      const next = at + MARK_FRAMES < strands.written ? strands.markAt(at + MARK_FRAMES) : nextMark
      if (click) metronome.addTo(click, block.left, block.right, strands.markAt(at), next)
      if (at >= from) blocks.push(block)
    }
    strands.lay(clicks, blocks, from, from, FADE_BLOCKS * MARK_FRAMES)
  }

  /** Say where what is written is from a block on, and click by that. It has to be summed again then. */
  function remark(from: number, markAt: (frame: number) => number) {
    strands.remark(from, markAt)
    nextMark = markAt(strands.written)
    clickAgain(Math.floor(from / MARK_FRAMES) * MARK_FRAMES)
  }

  /** Write the block that what plays has given, with all that sounds over it. It goes from `mark` to `next`. */
  function commit(mark: number, next: number) {
    const at = strands.written
    if (waiting?.at) {
      const first = crossings(waiting.at, mark, next, MARK_FRAMES)[0]
      if (first) {
        const { order } = waiting
        waiting = undefined
        begin(order, at + first.offset)
      }
    }
    for (const { strand, audition, begins } of sounding) {
      audition.read(at - begins, left, right)
      strands.put(strand, left, right)
    }
    for (const guest of guests) guest.write(at, mark, next)
    if (click) {
      left.fill(0)
      right.fill(0)
      metronome.addTo(click, left, right, mark, next)
      strands.put(clicks, left, right)
    }
    nextMark = next
    strands.commit(mark)
    const gone = sounding.filter((own) => endOf(own) <= strands.written - RING_FRAMES / 4)
    if (gone.length === 0) return
    sounding = sounding.filter((own) => !gone.includes(own))
    strands.remove(gone.map(({ strand }) => strand))
  }

  return {
    strands,
    /** whether an audition sounds or waits to begin */
    get busy() {
      return sounding.length > 0 || waiting !== undefined
    },
    /** whether one waits for a beat */
    get waits() {
      return waiting !== undefined
    },
    audition(start: AuditionStart) {
      if (start.at && start.at.length > 0) {
        waiting = start
        return
      }
      waiting = undefined
      const from = strands.free()
      begin(start.order, from)
      strands.rewrite(from)
    },
    /** What waits begins now, since nothing plays that it could wait for. */
    beginWaiting() {
      if (!waiting) return
      const { order } = waiting
      waiting = undefined
      begin(order, strands.written)
    },
    stop() {
      waiting = undefined
      const from = strands.free()
      leave(from)
      strands.rewrite(from)
    },
    /** Click at these places of what plays, as soon as may be; undefined for none. */
    setClick(track: ClickTrack | undefined) {
      click = track
      const from = strands.free()
      clickAgain(from)
      strands.rewrite(from)
    },
    commit,
    /** Write a block of a lane, which goes from source frame `mark` to `next`. */
    write(mainLeft: Float32Array, mainRight: Float32Array, mark: number, next: number) {
      strands.put(main, mainLeft, mainRight)
      commit(mark, next)
    },
    /** The first frame from a written one on at which what plays passes one of these places, as far as is written. */
    passes(places: ArrayLike<number>, from: number): number | undefined {
      for (let at = from - (from % MARK_FRAMES); at < strands.written; at += MARK_FRAMES) {
        const next = at + MARK_FRAMES < strands.written ? strands.markAt(at + MARK_FRAMES) : nextMark
        for (const { offset } of crossings(places, strands.markAt(at), next, MARK_FRAMES))
          if (at + offset >= from) return at + offset
      }
      return undefined
    },
    /** The part of what plays that something else may still take the place of: how long it is, and where it begins. */
    changeable(): { frames: number; sourceFrame: number } {
      const from = strands.nearest()
      return { frames: strands.written - from, sourceFrame: strands.markAt(from) }
    },
    /**
     * Let what `read` gives, block by block, take the place of the last `frames` of what plays.
     * It is faded over to as soon as may be.
     * `read` returns the source frame that a block begins at, `next` the one that it goes on with.
     */
    replace(
      frames: number,
      fadeFrames: number,
      read: (left: Float32Array, right: Float32Array) => number,
      next: () => number = () => -1,
    ) {
      const first = strands.written - frames
      const marks: number[] = []
      const fresh = Array.from({ length: frames / MARK_FRAMES }, () => {
        const block = silentBlock()
        marks.push(read(block.left, block.right))
        return block
      })
      // it has been read on meanwhile
      const from = Math.min(strands.written, Math.max(first, strands.nearest()))
      strands.lay(main, fresh, first, from, Math.min(fadeFrames, strands.written - from))
      // what is heard goes first: the output may take it any moment
      strands.rewrite(from)
      remark(from, (at) => marks[(at - first) / MARK_FRAMES] ?? next())
      if (click) strands.rewrite(strands.nearest())
    },
    /** whether any audition or guest still has something to give from here on */
    get sounds() {
      return sounding.some((own) => endOf(own) > strands.written) || guests.some((guest) => guest.sounds)
    },
    /** Let somebody's strands be written with what plays. */
    join(guest: Guest) {
      guests = [...guests, guest]
    },
  }
}

/** What guests have read is summed again as long as it may still be changed: more than is ever written ahead. */
export const KEPT_FRAMES = RING_FRAMES - 32 * MARK_FRAMES

/** Somebody who plays over what plays, on strands of their own. */
export interface Guest {
  /** Put the block that begins at a written frame onto the own strands. What plays goes from `mark` to `next` in it. */
  write(at: number, mark: number, next: number): void
  /** whether there is more to come */
  readonly sounds: boolean
}

interface Sounding {
  readonly strand: Strand
  readonly audition: Audition
  readonly begins: number
  endsAt: number
}

export type Overdub = ReturnType<typeof createOverdub>
