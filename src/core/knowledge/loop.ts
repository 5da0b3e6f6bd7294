import type { Tempo } from './tempo'

/** How a sound fits whole bars at its tempo. */
export interface LoopFacts {
  readonly bars: number
  /** what is left behind the last whole bar, ms; a little below 0 where the cut came early */
  readonly overhangMs: number
  /** where the whole bars begin and end, seconds */
  readonly startSeconds: number
  readonly endSeconds: number
}

/** a cut may come this much too early and still be meant for the bar line */
const EARLY_SECONDS = 0.02
const LEAST_CONFIDENCE = 0.3
/** drift up to which a tempo is steady */
export const STEADY_PERCENT = 0.5

/**
 * Whole bars of `bar` seconds from `start` on in a sound of `seconds`; undefined where there is not one. Bars at the end in
 * which nothing is struck any more are the last hit's ring, and count as hanging over.
 */
export function wholeBars(
  start: number,
  bar: number,
  seconds: number,
  attackSeconds: readonly number[],
): LoopFacts | undefined {
  let bars = Math.floor((seconds - start + EARLY_SECONDS) / bar)
  const last = attackSeconds.at(-1) ?? seconds
  while (bars > 1 && last < start + (bars - 1) * bar - 0.1) bars--
  if (bars < 1) return undefined
  const end = start + bars * bar
  return { bars, overhangMs: 1000 * (seconds - end), startSeconds: start, endSeconds: Math.min(seconds, end) }
}

/** Whole bars in a sound with a steady tempo; undefined where it has none, or holds no whole bar. */
export function loopOf(tempo: Tempo, seconds: number, attackSeconds: readonly number[]): LoopFacts | undefined {
  const { bpm, confidence, beats, beatsPerBar, firstBar, drift } = tempo
  const start = beats[firstBar]
  if (bpm === undefined || start === undefined || confidence < LEAST_CONFIDENCE || drift.percent > STEADY_PERCENT)
    return undefined
  return wholeBars(start, (60 * beatsPerBar) / bpm, seconds, attackSeconds)
}
