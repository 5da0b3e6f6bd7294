import type { SpeedPoint } from '../../../core'

/** The speed curve as numbers: time across as in the lanes, faster up, by ratio. */

export const SPEED_REACHES = [
  { id: 'near', label: '50 to 200 %', low: 50, high: 200 },
  { id: 'wide', label: '25 to 400 %', low: 25, high: 400 },
  { id: 'all', label: '5 to 2000 %', low: 5, high: 2000 },
] as const

export type SpeedReach = Pick<(typeof SPEED_REACHES)[number], 'low' | 'high'>

const EDGE_PX = 9

export function yOfPercent(percent: number, { low, high }: SpeedReach, heightPx: number): number {
  const share = Math.log(percent / low) / Math.log(high / low)
  return heightPx - EDGE_PX - Math.min(1, Math.max(0, share)) * (heightPx - 2 * EDGE_PX)
}

export function percentOfY(y: number, { low, high }: SpeedReach, heightPx: number): number {
  const share = Math.min(1, Math.max(0, (heightPx - EDGE_PX - y) / (heightPx - 2 * EDGE_PX)))
  return low * (high / low) ** share
}

/** speeds that a dragged point is laid on when it comes near, %; and how near, as a share */
const ROUND = [50, 75, 80, 90, 100, 110, 125, 150, 200]
const NEAR = 0.015

export const roundPercent = (percent: number) =>
  ROUND.find((round) => Math.abs(percent / round - 1) < NEAR) ?? Math.round(percent * 10) / 10

/** Where the curve is at moments between its points, to be drawn: a gentle way is bent. */
export function drawnCurve(points: readonly SpeedPoint[], seconds: number): { seconds: number; percent: number }[] {
  const [first, last] = [points[0], points.at(-1)]
  if (!first || !last)
    return [
      { seconds: 0, percent: 100 },
      { seconds, percent: 100 },
    ]
  const line = [{ seconds: 0, percent: first.percent }]
  points.forEach((point, n) => {
    line.push(point)
    const next = points[n + 1]
    if (!next || point.curve !== 'curved') return
    for (let k = 1; k < 12; k++) {
      const share = k / 12
      const bend = share * share * (3 - 2 * share)
      line.push({
        seconds: point.seconds + share * (next.seconds - point.seconds),
        percent: point.percent + bend * (next.percent - point.percent),
      })
    }
  })
  line.push({ seconds, percent: last.percent })
  return line
}

/** The points with one of them elsewhere, no further than its neighbours. */
export function movedPoint(
  points: readonly SpeedPoint[],
  n: number,
  to: { readonly seconds: number; readonly percent: number },
  seconds: number,
): SpeedPoint[] {
  const before = points[n - 1]?.seconds ?? 0
  const behind = points[n + 1]?.seconds ?? seconds
  return points.map((point, i) =>
    i === n
      ? {
          ...point,
          seconds: Math.min(behind, Math.max(before, to.seconds)),
          percent: Math.min(2000, Math.max(5, to.percent)),
        }
      : point,
  )
}
