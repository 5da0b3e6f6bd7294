import {
  type Dot,
  dotsOf,
  type GridBeats,
  type GridShape,
  type Groove,
  type Hit,
  nearestWithin,
  ontoSteady,
  openGrid,
  type Pin,
  pinsOf,
  STRAIGHT_SWING,
} from '../core'
import { ownBeatsOf } from './arrange'
import { editedAttacks, type FoundRhythm } from './known'
import { partStart } from './recipe'
import type { Session, Source } from './schema'
import type { SourceRule, SourceTiming } from './timingSchema'

/** The timing inside a source: its attacks against a grid, and the pins that a rule and hands come to. */

/** The rule that a source has as long as nobody has said one: it draws nothing. */
export const PLAIN_RULE: SourceRule = { grid: '1/16', swing: STRAIGHT_SWING, strength: 0 }

const PLAIN_TIMING: SourceTiming = { pins: [], placed: [] }

export const timingOf = (source: Source): SourceTiming => source.timing ?? PLAIN_TIMING
export const ruleOf = (source: Source): SourceRule => source.timing?.rule ?? PLAIN_RULE

/** The attacks of a source, as corrected by hand, seconds of its part. */
export function hitsOf(source: Source, found: FoundRhythm): readonly Hit[] {
  const { facts, hand, range } = source
  const rate = facts?.sampleRate
  if (!found || !rate) return []
  const of = [rate, hand.attacks, range]
  const there = lastHits.get(found.attacks)
  if (there?.of.every((one, n) => one === of[n])) return there.hits
  const hits = editedAttacks(source, found.attacks).map(({ frame, strength }) => ({ seconds: frame / rate, strength }))
  lastHits.set(found.attacks, { of, hits })
  return hits
}

/** by the attacks that were found: there may be thousands, and each step of a drag asks for them */
const lastHits = new WeakMap<object, { readonly of: readonly unknown[]; readonly hits: readonly Hit[] }>()

/** The beats that a source's grid is laid over, seconds of its part: free playing is brought onto a steady row. */
export function gridBeatsOf(source: Source, found: FoundRhythm): GridBeats | undefined {
  const own = ownBeatsOf(source, found)
  if (!own) return undefined
  if ('bpm' in own) return { own, onto: own, bpm: own.bpm }
  return own.seconds.length > 1 ? ontoSteady(own.seconds) : undefined
}

export const shapeOf = (rule: SourceRule, grooves: Session['grooves']): GridShape => {
  const groove: Groove | undefined = grooves.find(({ id, offsets }) => id === rule.groove && offsets.length > 0)
  return { grid: groove?.grid ?? rule.grid, swing: rule.swing, ...(groove && { groove }) }
}

/** An attack on the off-grid plot, seconds of the part and of its own time; how far off it is, and was. */
export interface TimedDot extends Dot {
  readonly own: number
  /** seconds off the grid where it sounds now */
  readonly ownOffset: number
  /** where its step lies on the straight grid, and where swing or groove bend it to */
  readonly straight: number
  readonly bent: number
  readonly byHand: boolean
  /** nothing is struck there: a pin was set by hand */
  readonly isBare: boolean
}

const SAME_SECONDS = 1e-6

type PlayedDot = Omit<TimedDot, 'own' | 'ownOffset' | 'byHand'>

let lastPlayed: { readonly of: readonly unknown[]; readonly dots: readonly PlayedDot[] } | undefined

/** Every attack against the grid, as it was played. Kept while a pin is dragged: there may be thousands. */
function playedDots(source: Source, found: FoundRhythm, grooves: Session['grooves']): readonly PlayedDot[] {
  const { hand, range, facts } = source
  const rule = ruleOf(source)
  const bare = barePins(source, found)
  const of = [source.id, hand, range, facts, found, grooves, rule.grid, rule.swing, rule.groove, bare.join(' ')]
  if (lastPlayed?.of.every((one, n) => one === of[n])) return lastPlayed.dots
  const beats = gridBeatsOf(source, found)
  if (!beats) return []
  const shape = shapeOf(rule, grooves)
  const onto = openGrid(shape, beats.onto)
  const all = [
    ...hitsOf(source, found).map((hit) => ({ ...hit, isBare: false })),
    ...bare.map((seconds) => ({ seconds, strength: 0, isBare: true })),
  ].sort((a, b) => a.seconds - b.seconds)
  const dots = dotsOf(all, openGrid(shape, beats.own), onto).map((dot, n) => ({
    ...dot,
    straight: onto.straightAt(dot.step),
    bent: onto.at(dot.step),
    isBare: all[n]?.isBare === true,
  }))
  lastPlayed = { of, dots }
  return dots
}

/** Pins by hand where nothing is struck, seconds of the part. */
function barePins(source: Source, found: FoundRhythm): number[] {
  const { pins } = timingOf(source)
  if (pins.length === 0) return []
  const struck = hitsOf(source, found).map(({ seconds }) => seconds)
  const offset = partStart(source)
  return pins
    .map((pin) => pin.source - offset)
    .filter((seconds) => seconds >= 0 && nearestWithin(struck, seconds, SAME_SECONDS) < 0)
}

/** Every attack of a source against its grid, before and after; none where it has no tempo. */
export function timedDots(source: Source, found: FoundRhythm, grooves: Session['grooves']): TimedDot[] {
  const offset = partStart(source)
  const { pins, placed } = timingOf(source)
  const hand = new Set(pins.map((pin) => keyOf(pin.source - offset)))
  const played = playedDots(source, found, grooves)
  const before = lastDots?.played === played ? lastDots.dots : []
  // both rise: what is placed is met on the way
  let n = 0
  const dots = played.map((dot, i) => {
    const key = keyOf(dot.seconds)
    while (n < placed.length && keyOf((placed[n] as Pin).source - offset) < key) n++
    const pin = placed[n]
    const own = pin && keyOf(pin.source - offset) === key ? pin.own - offset : dot.seconds
    const byHand = hand.has(key)
    const there = before[i]
    // of thousands a step of a drag moves few
    if (there && there.own === own && there.byHand === byHand) return there
    return { ...dot, own, ownOffset: own - dot.bent, byHand }
  })
  lastDots = { played, dots }
  return dots
}

let lastDots: { readonly played: readonly PlayedDot[]; readonly dots: readonly TimedDot[] } | undefined

/** Moments are told apart to the microsecond: they went through text and back. */
const keyOf = (seconds: number) => Math.round(seconds / SAME_SECONDS)

/** What a source's rule and its pins by hand come to, seconds of its file; nothing where nothing is moved. */
export function placedOf(source: Source, found: FoundRhythm, grooves: Session['grooves']): Pin[] {
  const { pins, rule } = timingOf(source)
  const offset = partStart(source)
  const beats = rule && rule.strength > 0 ? gridBeatsOf(source, found) : undefined
  const hand = [...pins]
    .map((pin) => ({ source: pin.source - offset, own: pin.own - offset }))
    .filter((pin) => pin.source >= 0 && pin.own >= 0)
    .sort((a, b) => a.source - b.source)
  const placed = pinsOf(
    hitsOf(source, found),
    hand,
    rule &&
      beats && {
        ...beats,
        rule: {
          ...shapeOf(rule, grooves),
          strength: rule.strength,
          windowMs: rule.windowMs,
          from: rule.from === undefined ? undefined : rule.from - offset,
          to: rule.to === undefined ? undefined : rule.to - offset,
        },
      },
  )
  if (placed.every((pin) => pin.own === pin.source)) return []
  return offset === 0 ? placed : placed.map((pin) => ({ source: pin.source + offset, own: pin.own + offset }))
}
