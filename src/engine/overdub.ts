import { type Audition, type AuditionOrder, openAudition } from './audition'
import { crossings } from './metronome'
import { MARK_FRAMES, RING_FRAMES, type Ring, Slot, writeBlock } from './ring'

/** When an audition begins: at once, or when what plays next passes one of these source frames. */
export interface AuditionStart {
  readonly order: AuditionOrder
  readonly at: Float64Array | undefined
}

/** blocks between what the output reads now and where something new may be laid over what is already written */
const MARGIN_BLOCKS = 10
/** the same for what takes the place of what plays: it lies ready before it is laid */
const NEAREST_BLOCKS = 4
const FADE_BLOCKS = 2

/**
 * The writer's side of the ring, with a second layer. What plays is written well ahead, so that it never runs dry; what is
 * auditioned is laid over it, also over what has been written already, so that it is heard almost at once. A copy of the first
 * layer is kept for that.
 */
export function createOverdub(ring: Ring, sampleRate: number) {
  const mainLeft = new Float32Array(RING_FRAMES)
  const mainRight = new Float32Array(RING_FRAMES)
  const left = new Float32Array(MARK_FRAMES)
  const right = new Float32Array(MARK_FRAMES)
  const partLeft = new Float32Array(MARK_FRAMES)
  const partRight = new Float32Array(MARK_FRAMES)
  let written = 0
  let waiting: AuditionStart | undefined
  /** auditions that sound; `begins` is the written frame at which their first frame lies */
  let sounding: { audition: Audition; begins: number; endsAt: number }[] = []

  /** The block that begins at frame `at` of all that was ever written, both layers together, into left and right. */
  function compose(at: number) {
    const place = at % RING_FRAMES
    left.set(mainLeft.subarray(place, place + MARK_FRAMES))
    right.set(mainRight.subarray(place, place + MARK_FRAMES))
    for (const { audition, begins, endsAt } of sounding) {
      if (at + MARK_FRAMES <= begins || at >= endsAt) continue
      audition.read(at - begins, partLeft, partRight)
      for (let i = 0; i < MARK_FRAMES; i++) {
        const leaving = Math.min(1, Math.max(0, (endsAt - at - i) / (FADE_BLOCKS * MARK_FRAMES)))
        left[i] = (left[i] as number) + leaving * (partLeft[i] as number)
        right[i] = (right[i] as number) + leaving * (partRight[i] as number)
      }
    }
  }

  /** Lay the second layer anew over what is written and not yet about to be read. */
  function rewrite(from: number) {
    for (let at = from; at < written; at += MARK_FRAMES) {
      compose(at)
      const base = at % RING_FRAMES
      for (let i = 0; i < MARK_FRAMES; i++) {
        ring.samples[2 * (base + i)] = left[i] as number
        ring.samples[2 * (base + i) + 1] = right[i] as number
      }
    }
  }

  /** The first written frame that may still be changed, so many blocks ahead of what is read. */
  function free(blocks = MARGIN_BLOCKS): number {
    const read = Atomics.load(ring.control, Slot.read)
    const ahead = (Atomics.load(ring.control, Slot.write) - read) | 0
    const safe = written - ahead + blocks * MARK_FRAMES
    return Math.min(written, Math.ceil(safe / MARK_FRAMES) * MARK_FRAMES)
  }

  function begin(order: AuditionOrder, begins: number) {
    leave(begins)
    sounding.push({ audition: openAudition(order, sampleRate), begins, endsAt: Number.POSITIVE_INFINITY })
  }

  /** Let what sounds fade away before `at`, or right behind it. */
  function leave(at: number) {
    for (const part of sounding) part.endsAt = Math.min(part.endsAt, at + FADE_BLOCKS * MARK_FRAMES)
  }

  return {
    /** whether an audition sounds or waits to begin */
    get busy() {
      return sounding.length > 0 || waiting !== undefined
    },
    /** whether one waits for a beat */
    get waits() {
      return waiting !== undefined
    },
    /** Forget all, as when the ring begins afresh. */
    reset() {
      written = 0
      sounding = []
    },
    audition(start: AuditionStart) {
      if (start.at && start.at.length > 0) {
        waiting = start
        return
      }
      waiting = undefined
      const from = free()
      begin(start.order, from)
      rewrite(from)
    },
    /** What waits begins now, since nothing plays that it could wait for. */
    beginWaiting() {
      if (!waiting) return
      const { order } = waiting
      waiting = undefined
      begin(order, written)
    },
    stop() {
      waiting = undefined
      const from = free()
      leave(from)
      rewrite(from)
    },
    /** Write a block of what plays, which goes from source frame `mark` to `next`. */
    write(mainBlockLeft: Float32Array, mainBlockRight: Float32Array, mark: number, next: number) {
      const place = written % RING_FRAMES
      mainLeft.set(mainBlockLeft, place)
      mainRight.set(mainBlockRight, place)
      if (waiting?.at) {
        const first = crossings(waiting.at, mark, next, MARK_FRAMES)[0]
        if (first) {
          const { order } = waiting
          waiting = undefined
          begin(order, written + first.offset)
        }
      }
      compose(written)
      writeBlock(ring, left, right, mark)
      written += MARK_FRAMES
      sounding = sounding.filter(
        ({ audition, begins, endsAt }) => Math.min(endsAt, begins + audition.frames) > written - RING_FRAMES / 4,
      )
    },
    /** The part of the first layer that something else may still take the place of: how long it is, and its first source frame. */
    changeable(): { frames: number; sourceFrame: number } {
      const from = free(NEAREST_BLOCKS)
      return { frames: written - from, sourceFrame: ring.marks[(from % RING_FRAMES) / MARK_FRAMES] ?? -1 }
    },
    /**
     * Let what `read` gives, block by block, take the place of the last `frames` of the first layer, fading over from it as soon as may
     * be. `read` returns the source frame that a block begins at.
     */
    replace(frames: number, fadeFrames: number, read: (left: Float32Array, right: Float32Array) => number) {
      const from = written - frames
      const fresh = Array.from({ length: frames / MARK_FRAMES }, () => {
        const block = { left: new Float32Array(MARK_FRAMES), right: new Float32Array(MARK_FRAMES), mark: 0 }
        block.mark = read(block.left, block.right)
        return block
      })
      // it has been read on meanwhile
      const start = Math.min(written, Math.max(from, free(NEAREST_BLOCKS)))
      const fade = Math.max(1, Math.min(fadeFrames, written - start))
      for (let at = start; at < written; at += MARK_FRAMES) {
        const block = fresh[(at - from) / MARK_FRAMES] as (typeof fresh)[number]
        const place = at % RING_FRAMES
        for (let i = 0; i < MARK_FRAMES; i++) {
          const weight = Math.min(1, (at + i - start) / fade)
          mainLeft[place + i] = (1 - weight) * (mainLeft[place + i] as number) + weight * (block.left[i] as number)
          mainRight[place + i] = (1 - weight) * (mainRight[place + i] as number) + weight * (block.right[i] as number)
        }
        ring.marks[place / MARK_FRAMES] = block.mark
      }
      rewrite(start)
    },
    /** whether any audition still has something to give from here on */
    get sounds() {
      return sounding.some(({ audition, begins, endsAt }) => Math.min(endsAt, begins + audition.frames) > written)
    },
  }
}

export type Overdub = ReturnType<typeof createOverdub>
