import type { Attack } from '../analysis/attacks'
import { type AudioBlock, frameCount } from '../audio/block'
import { asOutput, type OutputFrame } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'

/**
 * A result beside its source, with what was meant to happen on the way. A measure sees nothing else: not which method made
 * the result.
 */
export interface Comparison {
  readonly source: AudioBlock
  /** the whole result, or a part of it; at the source's rate, with as many channels */
  readonly result: AudioBlock
  /** output frame at which `result` begins */
  readonly from: number
  /**
   * frames of `result` that are what is measured, end exclusive: all of it where nothing is said. What lies around them only lets windows
   * at their ends see the sound go on.
   */
  readonly inner?: { readonly start: number; readonly end: number }
  /** output → source position */
  readonly map: TimeMap
  /** output Hz ÷ source Hz at a moment of the output */
  pitchRatioAt(output: OutputFrame): number
  /** where the spectral envelope was to be, as a ratio to where it is in the source */
  formantRatioAt(output: OutputFrame): number
  /** attacks of the source, where they are known or were corrected */
  readonly attacks?: readonly Attack[]
}

/** The frames of the result that are measured, end exclusive. */
export const innerOf = ({ inner, result }: Comparison) => inner ?? { start: 0, end: frameCount(result) }

/** The source frame that sounds at a frame of the result. */
export function originOf(comparison: Comparison, resultFrame: number): number {
  const frame = comparison.map.sourceAt(asOutput(comparison.from + resultFrame))
  return Math.max(0, Math.min(frameCount(comparison.source) - 1, frame))
}
