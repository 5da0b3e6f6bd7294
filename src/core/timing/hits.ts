import { lowerBound } from '../dsp/search'

/** An attack in seconds of the part of the source that is worked with. */
export interface Hit {
  readonly seconds: number
  /** 0–1 */
  readonly strength: number
}

/** The index of the moment nearest to `seconds` among rising ones, within `most`; −1 where there is none. */
export function nearestWithin(rising: ArrayLike<number>, seconds: number, most: number): number {
  const behind = lowerBound(rising, seconds)
  let best = -1
  for (const n of [behind - 1, behind]) {
    const value = rising[n]
    if (value === undefined || Math.abs(value - seconds) > most) continue
    if (best < 0 || Math.abs(value - seconds) < Math.abs((rising[best] as number) - seconds)) best = n
  }
  return best
}

/** The middle of values, of which there is one at least. */
export function medianOf(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  const middle = sorted.length >> 1
  return sorted.length % 2 === 1
    ? (sorted[middle] as number)
    : ((sorted[middle - 1] as number) + (sorted[middle] as number)) / 2
}
