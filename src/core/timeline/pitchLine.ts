import { semitonesToRatio } from '../dsp/units'
import { asOutput, asSource, type OutputFrame } from './axes'
import type { TimeMap } from './timeMap'

/**
 * The wanted change of pitch over the result. `warp` is the integral of the pitch ratio: the axis on which a sound that
 * was stretched by the ratio as well lies, before it is read back at that ratio and so gets its pitch.
 */
export interface PitchLine {
  ratioAt(output: OutputFrame): number
  warp(output: OutputFrame): number
  unwarp(warped: number): OutputFrame
}

/** One pitch throughout, in semitones (cents as their hundredths). */
export function constantPitch(semitones: number): PitchLine {
  const ratio = semitonesToRatio(semitones)
  return { ratioAt: () => ratio, warp: (output) => output * ratio, unwarp: (warped) => asOutput(warped / ratio) }
}

/** The time map from the warped axis to the source: what a method follows when its result is read back at the ratio. */
export function warpedMap(map: TimeMap, pitch: PitchLine): TimeMap {
  return {
    sourceFrames: map.sourceFrames,
    outputFrames: Math.ceil(pitch.warp(asOutput(map.outputFrames))),
    sourceAt: (warped) => asSource(map.sourceAt(pitch.unwarp(warped))),
    outputAt: (source) => asOutput(pitch.warp(map.outputAt(source))),
    speedAt: (warped) => {
      const output = pitch.unwarp(warped)
      return map.speedAt(output) / pitch.ratioAt(output)
    },
  }
}
