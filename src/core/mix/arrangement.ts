import type { Recipe } from '../render/recipe'
import type { Metre } from '../timeline/metre'
import type { OwnBeats } from '../timeline/ownBeats'
import type { TempoLine } from '../timeline/tempoLine'

/** Parts laid against bars under one tempo line. Plain data: threads hand it on, and find sounds by their `source`. */
export interface Arrangement {
  readonly tempoLine: TempoLine
  readonly metre: Metre
  readonly rows: readonly Row[]
  /** in the order in which they are summed */
  readonly parts: readonly MixPart[]
}

export interface Row {
  readonly gainDb: number
  readonly muted: boolean
  /** where any row is soloed, only those are heard */
  readonly solo: boolean
}

/** A source, or a piece of it, in one of its variants. */
export interface MixPart {
  readonly id: string
  /** the row that it lies on, from 0 on */
  readonly row: number
  /** tells which sound it is of */
  readonly source: string
  /** method, settings, pitch and pins; its stretch and its speed curve only count where it is locked to seconds */
  readonly recipe: Recipe
  readonly lock: 'bars' | 'seconds'
  readonly startBeat: number
  /** its length on the timeline; without it, as long as what is left of its source, or a whole loop of it */
  readonly beats?: number | undefined
  /**
   * what of its source it begins with: beats of the source where it is locked to bars, else its own seconds, as its
   * speed curve has them
   */
  readonly offset: number
  /** beats of the source for one of the timeline: 2 in double time, 0.5 in half time */
  readonly feel: number
  readonly repeat: boolean
  readonly gainDb: number
  /** seconds */
  readonly fadeIn: number
  readonly fadeOut: number
  /** the source's beats; a part without any is locked to seconds, whatever it says */
  readonly own?: OwnBeats | undefined
}

/** Which rows are heard. */
export const heardRows = (rows: readonly Row[]): readonly boolean[] => {
  const alone = rows.some(({ solo, muted }) => solo && !muted)
  return rows.map(({ muted, solo }) => !muted && (!alone || solo))
}
