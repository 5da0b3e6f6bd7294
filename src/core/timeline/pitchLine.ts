import { semitonesToRatio } from '../dsp/units'
import { asOutput, asSource, type OutputFrame } from './axes'
import type { TimeMap } from './timeMap'

/**
 * The wanted change of pitch over the result. `toTuned` is the integral of the pitch ratio: the axis on which a sound that
 * was stretched by the ratio as well lies, before it is read back at that ratio and so gets its pitch.
 */
export interface PitchLine {
  ratioAt(output: OutputFrame): number
  toTuned(output: OutputFrame): number
  fromTuned(tuned: number): OutputFrame
}

/** One pitch throughout, in semitones (cents as their hundredths). */
export function constantPitch(semitones: number): PitchLine {
  const ratio = semitonesToRatio(semitones)
  return { ratioAt: () => ratio, toTuned: (output) => output * ratio, fromTuned: (tuned) => asOutput(tuned / ratio) }
}

/** The time map from the tuned axis to the source: what a method follows when its result is read back at the ratio. */
export function tunedMap(map: TimeMap, pitch: PitchLine): TimeMap {
  return {
    sourceFrames: map.sourceFrames,
    outputFrames: Math.ceil(pitch.toTuned(asOutput(map.outputFrames))),
    sourceAt: (tuned) => asSource(map.sourceAt(pitch.fromTuned(tuned))),
    outputAt: (source) => asOutput(pitch.toTuned(map.outputAt(source))),
    speedAt: (tuned) => {
      const output = pitch.fromTuned(tuned)
      return map.speedAt(output) / pitch.ratioAt(output)
    },
  }
}
