import { lowerBound } from '../dsp/search'
import type { Passage } from '../timeline/passage'
import { through } from '../timeline/passage'

/**
 * A moment of the source and where in the source's own time it is to sound, seconds; the same where it is only held.
 */
export interface Pin {
  readonly source: number
  readonly own: number
}

/** so near to an end of the source nothing is left to give way: what lies there goes along */
const AT_THE_EDGE_SECONDS = 0.02
/** the shortest that a gap is pressed to: what one attack needs to be heard as one */
export const LEAST_GAP_SECONDS = 0.01
/** and the smallest share of what it was */
export const LEAST_GAP_SHARE = 0.25

/** How short a gap of so many seconds may get. */
export const leastGap = (source: number) => Math.min(source, Math.max(LEAST_GAP_SECONDS, LEAST_GAP_SHARE * source))

/**
 * The way from a source's own time to its moments that pins make: straight between pins, plain beyond the first and
 * the last. Both ends of the source are held, unless a pin lies right beside one.
 * @param pins  rising on both axes, as `settledPins` gives them.
 * @param seconds  of the source.
 */
export const pinsPassage = (pins: readonly Pin[], seconds: number): Passage =>
  through(edges(pinPoints(pins, seconds), seconds))

/** The points that the way goes through: own time → source, seconds. */
export function pinPoints(pins: readonly Pin[], seconds: number): { readonly at: number; readonly to: number }[] {
  const points = pins.map(({ source, own }) => ({ at: own, to: source }))
  const [first, last] = [points[0], points.at(-1)]
  if (!first || !last) return points
  if (first.to > AT_THE_EDGE_SECONDS && first.at > 0) points.unshift({ at: 0, to: 0 })
  if (seconds - last.to > AT_THE_EDGE_SECONDS && seconds > last.at) points.push({ at: seconds, to: seconds })
  return points
}

/** Points with one more before and behind them, so that beyond them the way goes on as fast as time does. */
function edges(points: readonly { at: number; to: number }[], seconds: number) {
  const first = points[0] ?? { at: 0, to: 0 }
  const last = points.at(-1) ?? { at: seconds, to: seconds }
  const own = points.length > 0 ? points : [first, ...(seconds > 0 ? [last] : [])]
  return [{ at: first.at - 1, to: first.to - 1 }, ...own, { at: last.at + 1, to: last.to + 1 }]
}

/** A pin that is wanted, and how much it counts where two cannot both be had. */
export interface WantedPin extends Pin {
  readonly weight: number
}

/**
 * The pins that hold together, of those that are wanted: where a gap would be pressed too far, the one that counts
 * less is let go. What would sound before the first moment sounds there.
 * @param wanted  rising by source.
 */
export function settledPins(wanted: readonly WantedPin[]): Pin[] {
  const kept: WantedPin[] = []
  for (const pin of wanted) {
    const own = { ...pin, own: Math.max(0, pin.own) }
    for (let last = kept.at(-1); ; last = kept.at(-1)) {
      if (!last || own.own - last.own >= leastGap(own.source - last.source) - 1e-9) {
        if (!last || own.source > last.source) kept.push(own)
        break
      }
      if (last.weight >= own.weight) break
      kept.pop()
    }
  }
  return kept.map(({ source, own }) => ({ source, own }))
}

export interface Placed {
  readonly own: number
  /** where it had to stop, and why */
  readonly stopped?: 'early' | 'late' | undefined
}

/**
 * Where a pin may go: no further than its gaps can be pressed, and not before the first moment.
 * @param others  all other pins, those that are held among them, rising.
 */
export function placePin(others: readonly Pin[], source: number, wanted: number, seconds: number): Placed {
  const behind = lowerBound(
    others.map((pin) => pin.source),
    source,
  )
  const before = others[behind - 1] ?? (source > AT_THE_EDGE_SECONDS ? { source: 0, own: 0 } : undefined)
  const next =
    others[behind] ?? (seconds - source > AT_THE_EDGE_SECONDS ? { source: seconds, own: seconds } : undefined)
  const least = before ? before.own + leastGap(source - before.source) : 0
  const most = next ? next.own - leastGap(next.source - source) : Number.POSITIVE_INFINITY
  if (wanted < least) return { own: least, stopped: 'early' }
  if (wanted > most) return { own: most, stopped: 'late' }
  return { own: wanted }
}

/** How far the gap behind each pin is stretched: its length ÷ the source's. The last is that up to the end. */
export function gapsOf(
  pins: readonly Pin[],
  seconds: number,
): { readonly from: Pin; readonly to: Pin; readonly stretch: number }[] {
  const all = [{ source: 0, own: 0 }, ...pins, { source: seconds, own: seconds }].filter(
    (pin, n, list) => n === 0 || pin.source > (list[n - 1] as Pin).source,
  )
  return all.slice(1).map((to, n) => {
    const from = all[n] as Pin
    return { from, to, stretch: (to.own - from.own) / (to.source - from.source) }
  })
}
