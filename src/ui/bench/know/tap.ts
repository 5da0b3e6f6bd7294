/** A tempo tapped by hand: its beats a minute and how far the taps lie apart from an even row. */
export interface TappedTempo {
  readonly bpm: number
  readonly taps: number
  /** standard deviation of the gaps, % of their mean */
  readonly spreadPercent: number
}

/** a pause that begins a new row of taps */
export const TAP_PAUSE_MS = 2500
const MOST_TAPS = 24

/** The row of taps after one more at `now`; a long pause begins afresh. */
export function addTap(taps: readonly number[], now: number): readonly number[] {
  const last = taps.at(-1)
  return last === undefined || now - last > TAP_PAUSE_MS ? [now] : [...taps, now].slice(-MOST_TAPS)
}

/** Slope of taps over their number, by least squares: one late tap in the middle moves it little. */
export function tappedTempo(taps: readonly number[]): TappedTempo | undefined {
  const n = taps.length
  if (n < 3) return undefined
  const middle = (n - 1) / 2
  const mean = taps.reduce((sum, tap) => sum + tap, 0) / n
  let xy = 0
  let xx = 0
  taps.forEach((tap, i) => {
    xy += (i - middle) * (tap - mean)
    xx += (i - middle) * (i - middle)
  })
  const gap = xy / xx
  const gaps = taps.slice(1).map((tap, i) => tap - (taps[i] as number))
  const spread = Math.sqrt(gaps.reduce((sum, g) => sum + (g - gap) * (g - gap), 0) / gaps.length)
  return { bpm: 60_000 / gap, taps: n, spreadPercent: (100 * spread) / gap }
}
