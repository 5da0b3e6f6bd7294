import { MARK_FRAMES, RING_FRAMES, type Ring, Slot, writeBlock } from './ring'

/** blocks between what the output reads now and where something new may be laid over what is already written */
const MARGIN_BLOCKS = 10
/** the same for what takes the place of what plays: it lies ready before it is laid */
const NEAREST_BLOCKS = 4
/** what an output that takes much at once is given beyond that: so much more each time, up to 43 ms */
const MORE_BLOCKS = 4
const MOST_MORE_BLOCKS = 16
const GAIN_SECONDS = 0.012

/** One thing that sounds. What it was read as lies here until it has been played: nothing is ever read twice. */
export interface Strand {
  /** by written frame, `[RING_FRAMES]` */
  readonly left: Float32Array
  readonly right: Float32Array
  /** the written frame up to which it has been read */
  readTo: number
  /** the written frame from which on it is silent; what lay there before is of no account */
  silentFrom: number
  gain: { from: number; to: number; at: number; frames: number }
  /** how loud it is over time, by written frame; its gain comes on top */
  level?: Level
}

/** A level over time. It may be changed: what is written is then summed again. */
export interface Level {
  at(frame: number): number
  /** of all frames from one up to another, where it is one level */
  steady(from: number, to: number): number | undefined
}

/** An envelope as a level that begins at a written frame. */
export const levelFrom = (envelope: Level, begins: number): Level => ({
  at: (frame) => envelope.at(frame - begins),
  steady: (from, to) => envelope.steady(from - begins, to - begins),
})

/** A block of a strand, as it was read. */
export interface StrandBlock {
  readonly left: Float32Array
  readonly right: Float32Array
}

export const silentBlock = (): StrandBlock => ({
  left: new Float32Array(MARK_FRAMES),
  right: new Float32Array(MARK_FRAMES),
})

/** How much room an output needs beyond what is usual, learned from changes that it had taken the start of. */
export interface Room {
  readonly blocks: number
  /** a change came too late */
  late(): void
}

/** @param onLate  told each time that a change came too late: its start was not heard whole, or with a step. */
export function createRoom(onLate: () => void = () => {}): Room {
  let blocks = 0
  return {
    get blocks() {
      return blocks
    },
    late() {
      blocks = Math.min(MOST_MORE_BLOCKS, blocks + MORE_BLOCKS)
      onLate()
    },
  }
}

/**
 * The writer's side of the ring: strands, each with what it has read ahead, and their sum.
 * A change sums again what is there. The voices are not asked again: that would be a seek, and a seek is heard.
 */
export function createStrands(ring: Ring, rate: number, room: Room = createRoom()) {
  const left = new Float32Array(MARK_FRAMES)
  const right = new Float32Array(MARK_FRAMES)
  let strands: Strand[] = []
  let written = 0

  function gainAt({ gain: { from, to, at, frames } }: Strand, frame: number): number {
    if (frame >= at + frames) return to
    return frame < at ? from : from + ((to - from) * (frame - at)) / frames
  }

  /** The block that begins at a written frame, all strands together. */
  function sum(at: number) {
    const place = at % RING_FRAMES
    left.fill(0)
    right.fill(0)
    for (const strand of strands) {
      if (strand.readTo <= at || strand.silentFrom <= at) continue
      const { gain } = strand
      const steady = at >= gain.at + gain.frames ? gain.to : at + MARK_FRAMES <= gain.at ? gain.from : undefined
      const own = strand.level ? strand.level.steady(at, at + MARK_FRAMES) : 1
      if (steady === 0 || own === 0) continue
      for (let i = 0; i < MARK_FRAMES; i++) {
        const level = (steady ?? gainAt(strand, at + i)) * (own ?? (strand.level as Level).at(at + i))
        left[i] = (left[i] as number) + level * (strand.left[place + i] as number)
        right[i] = (right[i] as number) + level * (strand.right[place + i] as number)
      }
    }
  }

  /** The first written frame that may still be changed, so many blocks ahead of what is read. */
  const free = (blocks = MARGIN_BLOCKS) => Math.min(written, taken() + (blocks + room.blocks) * MARK_FRAMES)

  /** The first written frame that the output has not taken yet, at the border of a block. */
  function taken(): number {
    const ahead = (Atomics.load(ring.control, Slot.write) - Atomics.load(ring.control, Slot.read)) | 0
    return Math.ceil((written - ahead) / MARK_FRAMES) * MARK_FRAMES
  }

  return {
    get written() {
      return written
    },
    taken,
    free: (): number => free(),
    /** The first frame at which something else may take the place of what plays. */
    nearest: (): number => free(NEAREST_BLOCKS),
    add(gain = 1, level?: Level): Strand {
      const strand: Strand = {
        ...(level && { level }),
        left: new Float32Array(RING_FRAMES),
        right: new Float32Array(RING_FRAMES),
        readTo: written,
        silentFrom: Number.POSITIVE_INFINITY,
        gain: { from: gain, to: gain, at: 0, frames: 0 },
      }
      strands.push(strand)
      return strand
    },
    /** Strands in the order of their sum. Those that are left out are gone: they should be silent by now. */
    order(wanted: readonly Strand[]) {
      strands = [...wanted]
    },
    /** Let go of strands that are silent by now. */
    remove(gone: readonly Strand[]) {
      if (gone.length > 0) strands = strands.filter((strand) => !gone.includes(strand))
    },
    get all(): readonly Strand[] {
      return strands
    },
    /** The next block of a strand. */
    put(strand: Strand, blockLeft: Float32Array, blockRight: Float32Array) {
      const place = written % RING_FRAMES
      strand.left.set(blockLeft, place)
      strand.right.set(blockRight, place)
      strand.readTo = written + MARK_FRAMES
    },
    /** Write the block that every strand has given. `mark` says where what plays is at its start. */
    commit(mark: number) {
      sum(written)
      writeBlock(ring, left, right, mark)
      written += MARK_FRAMES
    },
    /** Sum again what is written from a frame on, where a change begins; to be called once all is laid. */
    rewrite(from: number) {
      for (let at = from - (from % MARK_FRAMES); at < written; at += MARK_FRAMES) {
        sum(at)
        const base = at % RING_FRAMES
        for (let i = 0; i < MARK_FRAMES; i++) {
          ring.samples[2 * (base + i)] = left[i] as number
          ring.samples[2 * (base + i) + 1] = right[i] as number
        }
      }
      if (taken() > from) room.late()
    },
    /**
     * Let blocks take the place of what a strand was read as, fading over from it.
     * They begin at written frame `first`, and go to what is written now. What lies before `from` is left as it was.
     */
    lay(strand: Strand, blocks: readonly StrandBlock[], first: number, from: number, fadeFrames: number) {
      for (let at = Math.max(first, from - (from % MARK_FRAMES)); at < written; at += MARK_FRAMES) {
        const block = blocks[(at - first) / MARK_FRAMES]
        if (!block) break
        const place = at % RING_FRAMES
        const had = at < strand.readTo && at < strand.silentFrom
        for (let i = 0; i < MARK_FRAMES; i++) {
          const weight =
            fadeFrames > 0 ? Math.max(0, Math.min(1, (at + i - from) / fadeFrames)) : at + i >= from ? 1 : 0
          const oldLeft = had ? (strand.left[place + i] as number) : 0
          const oldRight = had ? (strand.right[place + i] as number) : 0
          strand.left[place + i] = (1 - weight) * oldLeft + weight * (block.left[i] as number)
          strand.right[place + i] = (1 - weight) * oldRight + weight * (block.right[i] as number)
        }
      }
      strand.readTo = written
      strand.silentFrom = Number.POSITIVE_INFINITY
    },
    /** Another level from a written frame on, over a few milliseconds; heard once that is summed again. */
    setGain(strand: Strand, to: number, from: number, seconds = GAIN_SECONDS) {
      if (strand.gain.to === to) return
      strand.gain = { from: gainAt(strand, from), to, at: from, frames: Math.max(1, Math.round(seconds * rate)) }
    },
    /** Whether a strand still sounds behind a written frame. */
    isSilent: ({ gain }: Strand, behind: number) => gain.to === 0 && behind >= gain.at + gain.frames,
    /** Where what plays is, from a written frame on. */
    remark(from: number, markAt: (frame: number) => number) {
      for (let at = Math.ceil(from / MARK_FRAMES) * MARK_FRAMES; at < written; at += MARK_FRAMES)
        ring.marks[(at % RING_FRAMES) / MARK_FRAMES] = markAt(at)
    },
    /** The mark of the block that begins at a written frame. */
    markAt: (frame: number): number => ring.marks[(frame % RING_FRAMES) / MARK_FRAMES] ?? -1,
  }
}

export type Strands = ReturnType<typeof createStrands>
