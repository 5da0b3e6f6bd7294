/** One sound shaped by another. Plain data. */
export interface Imprint {
  /** its loudness over time by bands; column by column of its spectrum; all of it at once */
  readonly by: 'bands' | 'columns' | 'whole'
  /** 0–100 % */
  readonly amountPercent: number
  /** for `bands`: how many there are, `IMPRINT_BANDS` */
  readonly bands: number
  /** over how long loudness, or the spectrum, is followed, ms */
  readonly smoothingMs: number
}

export const IMPRINT_BANDS = { min: 1, max: 64 } as const
export const IMPRINT_SMOOTHING = { min: 2, max: 1000 } as const
/** of the sound that all of another is convolved with, s */
export const MOST_WHOLE_SECONDS = 120

export const PLAIN_IMPRINT: Imprint = { by: 'bands', amountPercent: 100, bands: 16, smoothingMs: 15 }
