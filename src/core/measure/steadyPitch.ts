import type { PitchTrack } from '../analysis/pitchTrack'

/** How clear a pitch has to be to be sure of. */
export const SURE = 0.85

/** Columns on either side over which a pitch has to last: a tenth of a second in all. */
export const STEADY_COLUMNS = 5

/** Whether a sound has one clear pitch around a column of its track. */
export function isSteady(track: PitchTrack, column: number): boolean {
  for (let d = -STEADY_COLUMNS; d <= STEADY_COLUMNS; d++) {
    if ((track.hz[column + d] ?? 0) === 0 || (track.clarity[column + d] as number) < SURE) return false
  }
  return true
}
