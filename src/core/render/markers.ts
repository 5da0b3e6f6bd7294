import type { Markers } from '../audio/block'
import { asSource } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'

/** Cues and loops with every frame moved; loops that come to nothing fall away. */
function moved(markers: Markers, move: (frame: number) => number): Markers {
  return {
    ...markers,
    cues: markers.cues.map((cue) => ({ ...cue, frame: move(cue.frame) })),
    loops: markers.loops
      .map((loop) => ({ ...loop, startFrame: move(loop.startFrame), endFrame: move(loop.endFrame) }))
      .filter((loop) => loop.endFrame > loop.startFrame),
  }
}

/** Cues and loops of the source at their places in the result. */
export const mapMarkers = (markers: Markers, map: TimeMap) =>
  moved(markers, (frame) => Math.max(0, Math.min(map.outputFrames, Math.round(map.outputAt(asSource(frame))))))

/** Cues and loops where frames are counted at a rate so many times as high. */
export const markersAtRate = (markers: Markers, times: number) =>
  times === 1 ? markers : moved(markers, (frame) => Math.round(frame * times))
