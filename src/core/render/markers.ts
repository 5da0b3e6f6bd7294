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

/** What a recipe's pitch does to the note at which a sound plays unchanged. */
function rootAt({ rootNote }: Markers, pitchSemitones: number): Pick<Markers, 'rootNote'> {
  if (rootNote === undefined) return {}
  const moved = rootNote + Math.round(pitchSemitones)
  return moved >= 0 && moved <= 127 ? { rootNote: moved } : {}
}

/**
 * What a file says of a source, as it holds for the result. Cues and loops lie at their places.
 * The root moves with the pitch. The tempo is as much slower as the whole is longer, with as many beats.
 */
export function mapMarkers(markers: Markers, map: TimeMap, pitchSemitones = 0): Markers {
  const placed = moved(markers, (frame) =>
    Math.max(0, Math.min(map.outputFrames, Math.round(map.outputAt(asSource(frame))))),
  )
  const { rootNote: _, tempo, ...rest } = placed
  return {
    ...rest,
    ...rootAt(markers, pitchSemitones),
    ...(tempo && { tempo: { ...tempo, bpm: (tempo.bpm * map.sourceFrames) / Math.max(1, map.length) } }),
  }
}

/** What is marked in a part of a sound, in its own frames. Loops that reach beyond it fall away. */
export function markersWithin(markers: Markers, { start, end }: { start: number; end: number }): Markers {
  const inside = (frame: number) => frame >= start && frame <= end
  return {
    ...markers,
    cues: markers.cues.filter((cue) => inside(cue.frame)).map((cue) => ({ ...cue, frame: cue.frame - start })),
    loops: markers.loops
      .filter((loop) => inside(loop.startFrame) && inside(loop.endFrame))
      .map((loop) => ({ ...loop, startFrame: loop.startFrame - start, endFrame: loop.endFrame - start })),
  }
}

/** Cues and loops where frames are counted at a rate so many times as high. */
export const markersAtRate = (markers: Markers, times: number) =>
  times === 1 ? markers : moved(markers, (frame) => Math.round(frame * times))
