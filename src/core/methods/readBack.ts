import { silence } from '../audio/block'
import type { SincReader } from '../dsp/sinc'
import type { Voice } from './method'

/** frames that are read at once, at most */
const CHUNK = 256

/**
 * A voice read back between its frames, at rising positions.
 * Reading on reads it on: a voice that carries state never starts afresh. Anything else is a seek.
 * @param how  `positionAt` is the frame of the voice that an output frame is read at, by the reader of `readerAt`.
 *   No reader reaches further than `reach` frames. Positions go on by `mostRatio` frames an output frame at most.
 */
export function readBack(
  voice: Voice,
  channelCount: number,
  how: {
    readonly reach: number
    readonly mostRatio: number
    positionAt(outputFrame: number): number
    readerAt(outputFrame: number): SincReader
  },
): Voice {
  const { reach, mostRatio, positionAt, readerAt } = how
  // a sliding stretch of the voice: `held[c]` starts at its frame `heldStart` and is filled to `heldEnd`
  const held = silence(channelCount, 4 * reach + Math.ceil(4096 * Math.max(1, mostRatio)))
  const size = held[0]?.length ?? 0
  let heldStart = 0
  let heldEnd = 0
  let at = Number.NaN
  const positions = new Float64Array(CHUNK)

  /** Make frames up to `end` present, keeping those from `start` on. */
  function hold(start: number, end: number) {
    if (end <= heldEnd) return
    if (end - heldStart > size) {
      const keep = Math.max(0, heldEnd - start)
      for (const channel of held) channel.copyWithin(0, heldEnd - heldStart - keep, heldEnd - heldStart)
      heldStart = heldEnd - keep
    }
    // read on in even steps: a step per output frame would cost more than the reading
    const target = Math.min(heldStart + size, Math.max(end, heldEnd + 512))
    voice.read(
      heldEnd,
      held.map((channel) => channel.subarray(heldEnd - heldStart, target - heldStart)),
    )
    heldEnd = target
  }

  return {
    read(outputFrame, out) {
      const frames = out[0]?.length ?? 0
      if (outputFrame !== at) {
        heldStart = Math.floor(positionAt(outputFrame)) - reach
        heldEnd = heldStart
      }
      // what one reader reads is read at once
      for (let done = 0; done < frames; ) {
        const reader = readerAt(outputFrame + done)
        let count = 0
        while (count < CHUNK && done + count < frames) {
          const frame = outputFrame + done + count
          if (readerAt(frame) !== reader) break
          positions[count++] = positionAt(frame)
        }
        const first = Math.floor(positions[0] as number)
        hold(first - reach, Math.floor(positions[count - 1] as number) + reader.reachFrames + 1)
        for (let n = 0; n < count; n++) positions[n] = (positions[n] as number) - heldStart
        reader.readManyInto(held, positions, count, out, done)
        done += count
      }
      at = outputFrame + frames
    },
  }
}
