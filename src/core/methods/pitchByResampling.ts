import { silence } from '../audio/block'
import { createSincReader, createSteppedSincReaders, type SincReader } from '../dsp/sinc'
import { asOutput } from '../timeline/axes'
import type { PitchLine } from '../timeline/pitchLine'
import { tunedMap } from '../timeline/pitchLine'
import type { TimeMap } from '../timeline/timeMap'
import type { Voice } from './method'

// aliases stay below −90 dB, as the pitch of a method that rounds off more than this anyway needs no better
const WIDTH = 64
const ATTENUATION_DB = 94
/** three octaves: the furthest a line of pitch may go */
const MOST_RATIO = 8
/** frames that are read at once, at most */
const CHUNK = 256

/**
 * Pitch for a method that only knows time: it stretches by the pitch ratio as well, and its result is read back at that
 * ratio by a windowed sinc whose cut-off follows. With a ratio of 1 nothing is read back.
 *
 * `open` makes the method's voice for the time map it is to follow; `ratioAt` tells it at what ratio a frame of its own
 * result will be read back.
 */
export function pitchByResampling(
  channelCount: number,
  map: TimeMap,
  pitch: PitchLine,
  open: (map: TimeMap, ratioAt: (frame: number) => number) => Voice,
): Voice {
  const { constantRatio } = pitch
  if (constantRatio === 1) return open(map, () => 1)
  const inner = open(tunedMap(map, pitch), (frame) => pitch.ratioAt(pitch.fromTuned(frame)))
  const readerAt = steppedReaders(constantRatio)
  const reach = createSincReader(WIDTH, constantRatio ?? MOST_RATIO, ATTENUATION_DB).reachFrames

  // a sliding stretch of the inner result: `held[c]` starts at inner frame `heldStart` and is filled to `heldEnd`
  const held = silence(channelCount, 4 * reach + Math.ceil(4096 * Math.max(1, constantRatio ?? MOST_RATIO)))
  const size = held[0]?.length ?? 0
  let heldStart = 0
  let heldEnd = 0
  let at = Number.NaN
  const positions = new Float64Array(CHUNK)

  /** Make inner frames up to `end` present, keeping those from `start` on. */
  function hold(start: number, end: number) {
    if (end <= heldEnd) return
    if (end - heldStart > size) {
      const keep = Math.max(0, heldEnd - start)
      for (const channel of held) channel.copyWithin(0, heldEnd - heldStart - keep, heldEnd - heldStart)
      heldStart = heldEnd - keep
    }
    // read on in even steps: a step per output frame would cost more than the reading
    const target = Math.min(heldStart + size, Math.max(end, heldEnd + 512))
    inner.read(
      heldEnd,
      held.map((channel) => channel.subarray(heldEnd - heldStart, target - heldStart)),
    )
    heldEnd = target
  }

  return {
    read(outputFrame, out) {
      const frames = out[0]?.length ?? 0
      if (outputFrame !== at) {
        heldStart = Math.floor(pitch.toTuned(asOutput(outputFrame))) - reach
        heldEnd = heldStart
      }
      // what one reader reads is read at once
      for (let done = 0; done < frames; ) {
        const reader = readerAt(constantRatio ?? pitch.ratioAt(asOutput(outputFrame + done)))
        let count = 0
        while (count < CHUNK && done + count < frames) {
          const output = asOutput(outputFrame + done + count)
          if (constantRatio === undefined && readerAt(pitch.ratioAt(output)) !== reader) break
          positions[count++] = pitch.toTuned(output)
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

/** One reader for one ratio; for a ratio that moves, readers whose cut-off follows it in small steps. */
function steppedReaders(constantRatio: number | undefined): (ratio: number) => SincReader {
  if (constantRatio !== undefined) {
    const reader = createSincReader(WIDTH, constantRatio, ATTENUATION_DB)
    return () => reader
  }
  return createSteppedSincReaders(WIDTH, ATTENUATION_DB)
}
