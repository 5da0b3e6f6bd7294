import type { Channels } from '../audio/block'
import { silence } from '../audio/block'

/**
 * The scaffold of every method that lays windowed segments at a fixed hop: it keeps the running sum, hands out finished
 * frames in blocks of any length, and starts afresh on a seek.
 *
 * Segment k covers output frames `k·hop + lead … k·hop + lead + length`. After a seek the first segments that reach the
 * wanted frame are computed again from a fresh state.
 */
export interface SegmentMaker {
  readonly channelCount: number
  readonly hop: number
  readonly length: number
  /** first frame of segment 0, usually −length/2 so that its centre lies at 0 */
  readonly lead: number
  /** forget what was carried from segment to segment */
  reset(): void
  /** add segment k onto `sum[c][0…length)` */
  addSegment(k: number, sum: Channels): void
}

/** Something that is pulled: `read(frame, out)` fills the channels with the frames from `frame` on. */
export interface Pulled {
  read(frame: number, out: Channels): void
}

export function overlapAddVoice(maker: SegmentMaker): Pulled {
  const { channelCount, hop, length, lead } = maker
  // sum[c] starts at output frame `sumStart`; the first `ready` frames of it are final
  const sum = silence(channelCount, length + hop)
  let sumStart = 0
  let ready = 0
  let nextSegment = 0
  let at = Number.NaN

  function seek(frame: number) {
    maker.reset()
    // the first segment whose end lies beyond `frame`
    nextSegment = Math.floor((frame - lead - length) / hop) + 1
    for (const channel of sum) channel.fill(0)
    sumStart = nextSegment * hop + lead
    ready = 0
    at = frame
    while (sumStart + ready <= frame) advance()
  }

  function advance() {
    if (ready > 0) {
      for (const channel of sum) {
        channel.copyWithin(0, ready)
        channel.fill(0, channel.length - ready)
      }
      sumStart += ready
    }
    maker.addSegment(nextSegment, sum)
    nextSegment++
    ready = hop
  }

  return {
    read(outputFrame, out) {
      if (outputFrame !== at) seek(outputFrame)
      const frames = out[0]?.length ?? 0
      for (let done = 0; done < frames; ) {
        if (at >= sumStart + ready) advance()
        const from = at - sumStart
        const take = Math.min(frames - done, ready - from)
        for (let c = 0; c < channelCount; c++) {
          ;(out[c] as Float32Array).set((sum[c] as Float32Array).subarray(from, from + take), done)
        }
        done += take
        at += take
      }
    },
  }
}
