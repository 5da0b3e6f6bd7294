import type { OwnBeats } from '../timeline/ownBeats'
import { type GridShape, openGrid } from './grid'
import { type Hit, nearestWithin } from './hits'
import { type Dot, dotsOf } from './offGrid'
import { type Pin, settledPins, type WantedPin } from './pins'

/** How hits are drawn to the grid. */
export interface TimingRule extends GridShape {
  /** how far, % */
  readonly strength: number
  /** hits that lie farther off than this are left alone, ms; without it, none is */
  readonly windowMs?: number | undefined
  /** only hits between these seconds are moved */
  readonly from?: number | undefined
  readonly to?: number | undefined
}

/** A rule and the beats that it goes by. */
export interface RuledBeats {
  readonly rule: TimingRule
  /** by which hits find their steps */
  readonly own: OwnBeats
  /** where those steps should lie; the same where it is not said */
  readonly onto?: OwnBeats | undefined
}

/** an attack is known no better than this: what lies so near its place stays */
const SURE_SECONDS = 0.0007
/** a pin and an attack so near to each other are of the same moment */
export const SAME_MOMENT_SECONDS = 0.006
const HELD_WEIGHT = 0.5
const HAND_WEIGHT = 3

/**
 * The pins that a rule and hands come to, those that are only held among them.
 *
 * With a rule every hit is tied: to where the rule draws it, or to where it is. Of several hits that belong to one
 * step the strongest is drawn there, and the others go along, so that a flam stays one. Without a rule only what lies
 * beside a pin by hand is held. A pin by hand takes the place of what the rule says of that moment.
 *
 * @param hits  rising.
 * @param hand  pins by hand, rising.
 */
export function pinsOf(hits: readonly Hit[], hand: readonly Pin[], rule?: RuledBeats): Pin[] {
  const moments = hand.map(({ source }) => source)
  const free = hits.filter(({ seconds }) => nearestWithin(moments, seconds, SAME_MOMENT_SECONDS) < 0)
  const ruled = rule ? ruledPins(hits, rule) : undefined
  const wanted: WantedPin[] = [
    ...hand.map((pin) => ({ ...pin, weight: HAND_WEIGHT })),
    ...free.map(({ seconds, strength }) => ({
      source: seconds,
      own: ruled?.get(seconds) ?? seconds,
      weight: ruled?.has(seconds) ? 1 + strength : HELD_WEIGHT * strength,
    })),
  ].sort((a, b) => a.source - b.source)
  const settled = settledPins(wanted)
  return ruled ? settled : besideMoved(settled)
}

/** Pins that are moved and those right beside them: what else is held moves anyhow with nothing. */
function besideMoved(pins: readonly Pin[]): Pin[] {
  const isMoved = (n: number) => pins[n] !== undefined && pins[n].own !== pins[n].source
  return pins.filter((_, n) => isMoved(n - 1) || isMoved(n) || isMoved(n + 1))
}

/** what the last rule came to, by its hits: a pin that is dragged asks for it at each step */
const lastRuled = new WeakMap<readonly Hit[], { readonly of: string; readonly places: ReadonlyMap<number, number> }>()

/** Where a rule draws hits, by the second of each; what it leaves alone is not among them. */
function ruledPins(hits: readonly Hit[], beats: RuledBeats): ReadonlyMap<number, number> {
  const of = JSON.stringify(beats)
  const there = lastRuled.get(hits)
  if (there?.of === of) return there.places
  const places = newPlaces(hits, beats)
  lastRuled.set(hits, { of, places })
  return places
}

function newPlaces(hits: readonly Hit[], { rule, own, onto }: RuledBeats): Map<number, number> {
  const grid = openGrid(rule, own)
  const wanted = onto ? openGrid(rule, onto) : grid
  const left = 1 - rule.strength / 100
  const window = rule.windowMs === undefined ? Number.POSITIVE_INFINITY : rule.windowMs / 1000
  const byStep = new Map<number, Dot[]>()
  for (const dot of dotsOf(hits, grid, wanted)) {
    const isChosen =
      dot.seconds >= (rule.from ?? Number.NEGATIVE_INFINITY) && dot.seconds <= (rule.to ?? Number.POSITIVE_INFINITY)
    if (!isChosen || Math.abs(dot.offset) > window) continue
    byStep.set(dot.step, [...(byStep.get(dot.step) ?? []), dot])
  }
  const places = new Map<number, number>()
  for (const dots of byStep.values()) {
    const lead = dots.reduce((best, dot) => (dot.strength > best.strength ? dot : best))
    const shift = Math.abs(lead.offset) < SURE_SECONDS ? 0 : (left - 1) * lead.offset
    for (const { seconds } of dots) places.set(seconds, seconds + shift)
  }
  return places
}
