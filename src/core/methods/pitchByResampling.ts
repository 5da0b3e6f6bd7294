import { createSincReader, createSteppedSincReaders, type SincReader } from '../dsp/sinc'
import { asOutput } from '../timeline/axes'
import type { PitchLine } from '../timeline/pitchLine'
import { tunedMap } from '../timeline/pitchLine'
import type { TimeMap } from '../timeline/timeMap'
import type { Voice } from './method'
import { readBack } from './readBack'

// aliases stay below −90 dB, as the pitch of a method that rounds off more than this anyway needs no better
const WIDTH = 64
const ATTENUATION_DB = 94
/** three octaves: the furthest a line of pitch may go */
const MOST_RATIO = 8

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
  const mostRatio = constantRatio ?? MOST_RATIO
  return readBack(inner, channelCount, {
    reach: createSincReader(WIDTH, mostRatio, ATTENUATION_DB).reachFrames,
    mostRatio,
    positionAt: (frame) => pitch.toTuned(asOutput(frame)),
    readerAt: (frame) => readerAt(constantRatio ?? pitch.ratioAt(asOutput(frame))),
  })
}

/** One reader for one ratio; for a ratio that moves, readers whose cut-off follows it in small steps. */
function steppedReaders(constantRatio: number | undefined): (ratio: number) => SincReader {
  if (constantRatio !== undefined) {
    const reader = createSincReader(WIDTH, constantRatio, ATTENUATION_DB)
    return () => reader
  }
  return createSteppedSincReaders(WIDTH, ATTENUATION_DB)
}
