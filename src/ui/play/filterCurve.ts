import { drawnDb, type FilterPoint } from '../../core'

/** The filter's field: log Hz across, dB up; and what drawing does to its points. */

export const LOWEST_HZ = 16
export const HIGHEST_HZ = 22_000
export const LOWEST_DB = -66
export const HIGHEST_DB = 18
const OCTAVES = Math.log2(HIGHEST_HZ / LOWEST_HZ)

export const xOfHz = (hz: number, widthPx: number) => (Math.log2(hz / LOWEST_HZ) / OCTAVES) * widthPx
export const hzAt = (x: number, widthPx: number) =>
  LOWEST_HZ * 2 ** ((OCTAVES * Math.max(0, Math.min(widthPx, x))) / Math.max(1, widthPx))
export const yOfDb = (db: number, heightPx: number) => ((HIGHEST_DB - db) / (HIGHEST_DB - LOWEST_DB)) * heightPx
export const dbAt = (y: number, heightPx: number) =>
  Math.max(LOWEST_DB, Math.min(HIGHEST_DB, HIGHEST_DB - (y / heightPx) * (HIGHEST_DB - LOWEST_DB)))

/** drawn points lie so far apart, octaves */
const STEP_OCTAVES = 1 / 12

/** The curve with a stroke from one place to another drawn over it; what lies outside of the stroke stays as it is. */
export function drawnOver(points: readonly FilterPoint[], from: FilterPoint, to: FilterPoint): FilterPoint[] {
  const [low, high] = from.hz <= to.hz ? [from, to] : [to, from]
  const before = points.length > 0 ? points : [{ hz: low.hz, db: 0 }]
  const filter = { points: before, at: 'before' as const }
  const edge = 2 ** (STEP_OCTAVES / 4)
  const [start, end] = [low.hz / edge, high.hz * edge]
  const inside: FilterPoint[] = [low]
  for (let hz = low.hz * 2 ** STEP_OCTAVES; hz < high.hz; hz *= 2 ** STEP_OCTAVES) {
    const share = Math.log(hz / low.hz) / Math.log(high.hz / low.hz)
    inside.push({ hz, db: low.db + share * (high.db - low.db) })
  }
  if (high.hz > low.hz * 1.0001) inside.push(high)
  const outside = before.filter(({ hz }) => hz < start || hz > end)
  // where the stroke ends the curve goes on as it was
  const edges = [start / edge, end * edge]
    .filter((hz) => hz > 1 && !outside.some((point) => Math.abs(Math.log2(point.hz / hz)) < STEP_OCTAVES / 2))
    .map((hz) => ({ hz, db: drawnDb(filter, hz) }))
  return [...outside, ...edges, ...inside]
    .sort((a, b) => a.hz - b.hz)
    .filter((point, n, all) => n === 0 || point.hz > (all[n - 1] as FilterPoint).hz * 1.0001)
}

const NEAR_PX = 9

/** The point under the pointer; −1 for none. */
export function nearest(points: readonly FilterPoint[], at: FilterPoint, widthPx: number, heightPx: number): number {
  let best = -1
  let least = NEAR_PX
  points.forEach(({ hz, db }, n) => {
    const away = Math.hypot(xOfHz(hz, widthPx) - xOfHz(at.hz, widthPx), yOfDb(db, heightPx) - yOfDb(at.db, heightPx))
    if (away < least) {
      best = n
      least = away
    }
  })
  return best
}
