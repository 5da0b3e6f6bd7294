import { silence } from '../audio/block'
import { createSincReader } from '../dsp/sinc'
import { asOutput } from '../timeline/axes'
import type { PitchLine } from '../timeline/pitchLine'
import { tunedMap } from '../timeline/pitchLine'
import type { TimeMap } from '../timeline/timeMap'
import type { Voice } from './method'

// aliases stay below −90 dB, as the pitch of a method that rounds off more than this anyway needs no better
const WIDTH = 64
const ATTENUATION_DB = 94

/**
 * Pitch for a method that only knows time: it stretches by the pitch ratio as well, and its result is read back at that
 * ratio by a windowed sinc whose cut-off follows. With a ratio of 1 nothing is read back.
 *
 * `open` makes the method's voice for the time map it is to follow.
 */
export function pitchByResampling(
  channelCount: number,
  map: TimeMap,
  pitch: PitchLine,
  open: (map: TimeMap) => Voice,
): Voice {
  const ratio = pitch.ratioAt(asOutput(0))
  if (ratio === 1) return open(map)
  const inner = open(tunedMap(map, pitch))
  const reader = createSincReader(WIDTH, ratio, ATTENUATION_DB)
  const reach = reader.reachFrames

  // a sliding stretch of the inner result: `held[c]` starts at inner frame `heldStart` and is filled to `heldEnd`
  const held = silence(channelCount, 4 * reach + Math.ceil(4096 * Math.max(1, ratio)))
  const size = held[0]?.length ?? 0
  let heldStart = 0
  let heldEnd = 0
  let at = Number.NaN

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
      for (let i = 0; i < frames; i++) {
        const position = pitch.toTuned(asOutput(outputFrame + i))
        const base = Math.floor(position)
        hold(base - reach, base + reach + 1)
        reader.readInto(held, position - heldStart, out, i)
      }
      at = outputFrame + frames
    },
  }
}
