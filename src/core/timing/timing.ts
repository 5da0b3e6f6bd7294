import { asOutput, asSource, type OutputFrame, type SourceFrame } from '../timeline/axes'
import { composed, type Passage, reversed, straight } from '../timeline/passage'
import { passageOf, straightMap, type TimeMap, timeMapOf } from '../timeline/timeMap'
import { type Pin, pinPoints, pinsPassage } from './pins'
import { type SpeedCurve, speedMap } from './speedCurve'

/** What is meant to happen to the timing inside a source, before its length is changed. */
export interface Timing {
  /** rising on both axes, as `settledPins` gives them; those that are only held among them */
  readonly pins?: readonly Pin[] | undefined
  readonly speedCurve?: SpeedCurve | undefined
}

export const isTimed = ({ pins, speedCurve }: Timing) =>
  (pins !== undefined && pins.length > 0) || speedCurve !== undefined

/** From a source's own time to its moments, seconds. Pins lie on whole frames, so that what is not moved is not. */
export function pinsWay({ pins }: Timing, frames: number, sampleRate: number): Passage | undefined {
  if (!pins || pins.length === 0) return undefined
  return pinsPassage(wholePins(pins, sampleRate), frames / sampleRate)
}

/** Pins on whole frames, those that rise. */
function wholePins(pins: readonly Pin[], sampleRate: number): Pin[] {
  const whole = (seconds: number) => Math.round(seconds * sampleRate) / sampleRate
  const placed: Pin[] = []
  for (const { source, own } of pins) {
    const pin = { source: whole(source), own: whole(own) }
    const last = placed.at(-1)
    if (!last || (pin.source > last.source && pin.own > last.own)) placed.push(pin)
  }
  return placed
}

/**
 * How long a source is in its own time, frames. It stays as long as it was, unless its very end is pinned elsewhere.
 */
function ownLength({ pins }: Timing, frames: number, sampleRate: number): number {
  const last = pins?.at(-1)
  return last && Math.round(last.source * sampleRate) >= frames ? Math.round(last.own * sampleRate) : frames
}

interface Opened {
  readonly speedCurve: SpeedCurve | undefined
  readonly frames: number
  readonly sampleRate: number
  readonly map: TimeMap
  natural?: readonly NaturalRun[]
}

/** what pins come to, by their list: each variant of a source asks for the same */
const opened = new WeakMap<readonly Pin[], Opened>()

function openedTiming(timing: Timing, frames: number, sampleRate: number): Opened {
  const { pins, speedCurve } = timing
  const there = pins && opened.get(pins)
  if (there && there.speedCurve === speedCurve && there.frames === frames && there.sampleRate === sampleRate)
    return there
  const made: Opened = { speedCurve, frames, sampleRate, map: newMap(timing, frames, sampleRate) }
  if (pins) opened.set(pins, made)
  return made
}

/** A source's timing as a map, at a stretch of 1: result → speed curve → own time → pins → source. */
export const timingMap = (timing: Timing, frames: number, sampleRate: number): TimeMap =>
  openedTiming(timing, frames, sampleRate).map

function newMap(timing: Timing, frames: number, sampleRate: number): TimeMap {
  const own = ownLength(timing, frames, sampleRate)
  const base = timing.speedCurve ? speedMap(timing.speedCurve, own, sampleRate) : straightMap(own, 1)
  const pins = pinsWay(timing, frames, sampleRate)
  if (!pins) return base
  const inFrames = composed(
    composed(straight<number, number>(1 / sampleRate), pins),
    straight<number, number>(sampleRate),
  )
  return timeMapOf(composed(passageOf(base), inFrames as Passage<SourceFrame, SourceFrame>), frames, base.length)
}

/** A run of the result that is the source itself, `offset` frames earlier or later: frames, the end exclusive. */
export interface NaturalRun {
  readonly from: number
  readonly to: number
  /** source frame − output frame */
  readonly offset: number
}

/** runs shorter than this are made like what lies around them */
const LEAST_RUN_SECONDS = 0.05
const SAME_FRAME = 1e-3

/**
 * Where a source's timing lets it run as it does, at whole frames of the result. What lies there can be taken as it is,
 * whatever the method.
 */
export function naturalRuns(timing: Timing, frames: number, sampleRate: number): readonly NaturalRun[] {
  const own = openedTiming(timing, frames, sampleRate)
  own.natural ??=
    timing.pins && !timing.speedCurve
      ? runsBetweenPins(timing.pins, frames, own.map.outputFrames, sampleRate)
      : findRuns(own.map, timing, sampleRate)
  return own.natural
}

/** The same for pins alone, of which there may be thousands: a gap that is as long as it was runs as it does. */
function runsBetweenPins(
  pins: readonly Pin[],
  frames: number,
  outputFrames: number,
  sampleRate: number,
): readonly NaturalRun[] {
  const points = pinPoints(wholePins(pins, sampleRate), frames / sampleRate).map(({ at, to }) => ({
    at: Math.round(at * sampleRate),
    offset: Math.round(to * sampleRate) - Math.round(at * sampleRate),
  }))
  const runs: { from: number; to: number; offset: number }[] = []
  const add = (from: number, to: number, offset: number) => {
    const last = runs.at(-1)
    if (!(to > from)) return
    if (last && last.to === from && last.offset === offset) last.to = to
    else runs.push({ from, to, offset })
  }
  const [first, last] = [points[0], points.at(-1)]
  // before the first and behind the last, time goes on as it does
  if (first) add(0, first.at, first.offset)
  for (let n = 0; n + 1 < points.length; n++) {
    const [a, b] = [points[n], points[n + 1]] as [(typeof points)[number], (typeof points)[number]]
    if (a.offset === b.offset) add(a.at, Math.min(b.at, outputFrames), a.offset)
  }
  if (last) add(Math.max(0, last.at), outputFrames, last.offset)
  return runs.filter(({ from, to }) => to - from >= LEAST_RUN_SECONDS * sampleRate)
}

export function findRuns(map: TimeMap, timing: Timing, sampleRate: number): readonly NaturalRun[] {
  const frames = map.outputFrames
  const breaks = breaksOf(map, timing, sampleRate).filter((at) => at > 0 && at < frames)
  const ends = [0, ...breaks, frames]
  const runs: { from: number; to: number; offset: number }[] = []
  for (let n = 0; n + 1 < ends.length; n++) {
    const [from, to] = [ends[n] as number, ends[n + 1] as number]
    const offsets = [from, (from + to) / 2, to].map((at) => offsetAt(map, at, at === to ? -1 : 1))
    const offset = Math.round(offsets[0] as number)
    if (!offsets.every((own) => Math.abs(own - offset) < SAME_FRAME)) continue
    const last = runs.at(-1)
    if (last && last.to === from && last.offset === offset) last.to = to
    else runs.push({ from, to, offset })
  }
  return runs.filter(({ from, to }) => to - from >= LEAST_RUN_SECONDS * sampleRate)
}

/**
 * How far the source lies ahead of the result, seen from within a run: a little behind its start, or before its end.
 */
const offsetAt = (map: TimeMap, at: number, towards: 1 | -1) => {
  const inside = at + towards * 1e-6
  return map.sourceAt(asOutput(inside)) - inside
}

/** Whole frames of the result at which its speed may change, rising. */
function breaksOf(map: TimeMap, { pins, speedCurve }: Timing, sampleRate: number): number[] {
  const base = speedCurve
    ? reversed(passageOf(speedMap(speedCurve, ownLength({ pins }, map.sourceFrames, sampleRate), sampleRate)))
    : undefined
  const ofOwn = (own: number) => (base ? base.to(asSource(own)) : own) as OutputFrame
  const places = [
    ...(pins ?? []).map(({ own }) => ofOwn(Math.round(own * sampleRate))),
    ...(speedCurve?.points ?? []).map(({ seconds }) => ofOwn(seconds * sampleRate)),
  ].map((at) => Math.round(at))
  return [...new Set(places)].sort((a, b) => a - b)
}
