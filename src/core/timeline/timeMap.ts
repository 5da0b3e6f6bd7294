import { asOutput, asSource, type OutputFrame, type SourceFrame } from './axes'

/**
 * Which moment of the source sounds at which moment of the result. Strictly increasing, with an exact inverse, and
 * defined beyond both ends, where it goes on with the slope that it has there.
 */
export interface TimeMap {
  readonly sourceFrames: number
  /** whole frames of the result: the mapped length of the source, rounded once */
  readonly outputFrames: number
  sourceAt(output: OutputFrame): SourceFrame
  outputAt(source: SourceFrame): OutputFrame
  /** source frames per output frame at that moment of the result */
  speedAt(output: OutputFrame): number
}

/**
 * One straight line: the result is `stretch` times as long as the source.
 * @throws {RangeError} if `sourceFrames` is not whole and not negative, or `stretch` not finite and above 0.
 */
export function straightMap(sourceFrames: number, stretch: number): TimeMap {
  if (!Number.isInteger(sourceFrames) || sourceFrames < 0) {
    throw new RangeError(`straightMap: sourceFrames must be whole and not negative, got ${sourceFrames}`)
  }
  if (!(stretch > 0 && Number.isFinite(stretch))) {
    throw new RangeError(`straightMap: stretch must be finite and above 0, got ${stretch}`)
  }
  return {
    sourceFrames,
    outputFrames: Math.round(sourceFrames * stretch),
    sourceAt: (output) => asSource(output / stretch),
    outputAt: (source) => asOutput(source * stretch),
    speedAt: () => 1 / stretch,
  }
}

/** The stretch that gives exactly `outputFrames`, which `round(sourceFrames × stretch)` then returns. */
export function stretchForFrames(sourceFrames: number, outputFrames: number): number {
  return outputFrames / sourceFrames
}
