import { amplitudeToDb, dbToAmplitude } from '../../../core'

export interface LaneLevel {
  readonly loudness: number
  readonly peak: number
}

/**
 * Gains that bring all lanes to one loudness without lifting any peak over full scale: the common loudness is that of
 * the reference, or lower where a lane has not the headroom for it. What is not measured yet takes the reference's
 * gain; silence is left alone.
 */
export function matchedGains(reference: LaneLevel | undefined, lanes: readonly (LaneLevel | undefined)[]): number[] {
  const all = [reference, ...lanes]
  const known = all.filter((level): level is LaneLevel => level !== undefined && Number.isFinite(level.loudness))
  if (!reference || !Number.isFinite(reference.loudness)) return all.map(() => 1)
  const goal = Math.min(
    reference.loudness,
    ...known.map((level) => level.loudness - amplitudeToDb(Math.max(level.peak, 1e-9))),
  )
  const own = dbToAmplitude(goal - reference.loudness)
  return all.map((level) => (level && Number.isFinite(level.loudness) ? dbToAmplitude(goal - level.loudness) : own))
}
