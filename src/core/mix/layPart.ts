import {
  asOutput,
  type OutputFrame,
  type SourceBeat,
  type SourceFrame,
  type TimelineBeat,
  type TimelineSecond,
} from '../timeline/axes'
import { ownPassage, tempoPassage } from '../timeline/ownBeats'
import { composed, type Passage, straight } from '../timeline/passage'
import type { OpenTempo } from '../timeline/tempoLine'
import { type TimeMap, timeMapOf } from '../timeline/timeMap'
import type { MixPart } from './arrangement'

/** What of a sound has to be known to lay it. */
export interface PartSize {
  readonly frames: number
  readonly sampleRate: number
}

/** A run through the source. A part that does not repeat has one. */
export interface Lap {
  /** frames of the mix in which it is heard, the end exclusive; it fades over to the next one before its end */
  readonly from: number
  readonly to: number
  /** from its own frames, at the source's rate and counted from `zero`, to frames of the source */
  readonly map: TimeMap
  /** the frame of the mix at which its map begins: before `from` where it has to fade in under the lap before it */
  readonly zero: number
  /** the source runs through it as it is, bit for bit, from this frame on */
  readonly asItIs: number | undefined
}

/** Where a part lies, frame by frame. */
export interface LaidPart {
  readonly part: MixPart
  /** frames of the mix, the end exclusive */
  readonly from: number
  readonly to: number
  readonly laps: readonly Lap[]
  /** the piece of the source that it goes round in, seconds of it; undefined for a part that does not repeat */
  readonly loop: { readonly start: number; readonly end: number } | undefined
  /** whether it begins, or ends, in the middle of its source */
  readonly startsInside: boolean
  readonly endsInside: boolean
}

/** how long one lap takes over from the one before it */
export const LAP_FADE_SECONDS = 0.003
/** a map goes on for so long behind what is heard, so that nothing is filtered against its end */
const BEHIND_SECONDS = 0.02
/** a length this near to whole beats is meant to be them, beats */
const NEARLY_WHOLE = 0.05
const SHORTEST_ROUND_SECONDS = 0.02
const MOST_LAPS = 10_000
/** a speed this near to the source's own is its own, and a place this near the same, looked at so many times */
const SAME = 1e-9
const SAME_FRAMES = 1e-3
const LOOKS = 1000

/**
 * Beats of a source in one round of a repeating part, counted from its first beat: whole bars where it has one, else whole
 * beats, else all of it.
 */
function loopBeats(ownEnd: number, beatsPerBar: number): number {
  const whole = Math.round(ownEnd)
  if (whole >= 1 && Math.abs(ownEnd - whole) < NEARLY_WHOLE) return whole
  const bars = Math.floor(ownEnd / beatsPerBar)
  if (bars >= 1) return bars * beatsPerBar
  return ownEnd >= 1 ? Math.floor(ownEnd) : ownEnd
}

/**
 * Lay a part: where it begins and ends in the mix, frame by frame, and which moment of its source is heard at each.
 * A part that is locked to bars goes timeline → beats → beats of its source → source; one locked to seconds at its own stretch.
 * @param rate  of the mix, Hz.
 * @returns undefined for a part that comes to nothing: it would end before it began.
 */
export function layPart(
  part: MixPart,
  size: PartSize,
  tempo: OpenTempo,
  beatsPerBar: number,
  rate: number,
): LaidPart | undefined {
  const ownSeconds = size.frames / size.sampleRate
  const start = tempo.secondsAt(part.startBeat)
  const from = Math.round(start * rate)
  const way = part.lock === 'bars' && part.own ? barsWay(part, tempo) : secondsWay(part, start)
  const ownEnd = way.atSecond(ownSeconds)
  const whole = part.repeat ? roundOf(way, ownEnd, beatsPerBar) : undefined
  const loop = whole && way.timelineAt(whole.length) - start >= SHORTEST_ROUND_SECONDS ? whole : undefined
  const offset = loop ? modulo(part.offset - loop.start, loop.length) : part.offset
  // counted on the axis that the part holds on to, from its start
  const natural = loop ? loop.length - offset : ownEnd - offset
  const end = part.beats === undefined ? way.timelineAt(natural) : tempo.secondsAt(part.startBeat + part.beats)
  const to = Math.round(end * rate)
  if (!(to > from)) return undefined
  const fade = Math.round(LAP_FADE_SECONDS * rate)
  const laps: Lap[] = []
  for (let n = 0; n < MOST_LAPS; n++) {
    // what of the part's own axis has gone by when the lap begins, and what of the source it begins with
    const gone = n === 0 || !loop ? 0 : n * loop.length - offset
    const lapFrom = n === 0 ? from : Math.round(way.timelineAt(gone) * rate)
    if (lapFrom >= to || (n > 0 && !loop)) break
    const lapTo = loop ? Math.min(to, Math.round(way.timelineAt((n + 1) * loop.length - offset) * rate)) : to
    const begins = n === 0 ? offset + (loop?.start ?? 0) : (loop?.start ?? 0)
    if (lapTo <= lapFrom) continue
    const zero = n === 0 ? lapFrom : lapFrom - fade
    const seconds = (lapTo - zero) / rate + BEHIND_SECONDS
    const source = composed(
      composed(straight<OutputFrame, TimelineSecond>(1 / size.sampleRate, zero / rate), way.toOwn(begins - gone)),
      straight<number, SourceFrame>(size.sampleRate),
    )
    const map = timeMapOf(source, size.frames, seconds * size.sampleRate)
    laps.push({ from: lapFrom, to: lapTo, zero, map, asItIs: asItIsAt(map, part) })
  }
  const bounds = loop && { start: way.secondAt(loop.start), end: way.secondAt(loop.start + loop.length) }
  return {
    part,
    from,
    to,
    laps,
    loop: laps.length > 1 ? bounds : undefined,
    startsInside: way.secondAt(offset + (loop?.start ?? 0)) > 1 / size.sampleRate,
    endsInside:
      laps.length > 1 ||
      (laps.at(-1)?.map.sourceAt(asOutput(((to - from) / rate) * size.sampleRate)) ?? 0) < size.frames - 1,
  }
}

/** The axis that a part holds on to: beats of its source, or its seconds. */
interface Way {
  /** the place on it of a second of the source, and the other way round */
  atSecond(second: number): number
  secondAt(at: number): number
  /** the second of the timeline at which so much of it has gone by since the part began */
  timelineAt(gone: number): number
  /** from the timeline to seconds of the source, for a run that would have begun `ahead` of the part's own start */
  toOwn(ahead: number): Passage<TimelineSecond, number>
  readonly inBeats: boolean
}

function barsWay({ own, startBeat, feel }: MixPart, tempo: OpenTempo): Way {
  const beats = ownPassage(own as NonNullable<MixPart['own']>)
  return {
    atSecond: (second) => beats.from(second),
    secondAt: (at) => beats.to(at as SourceBeat),
    timelineAt: (gone) => tempo.secondsAt(startBeat + gone / feel),
    toOwn: (ahead) =>
      composed(
        composed(tempoPassage(tempo), straight<TimelineBeat, SourceBeat>(feel, ahead - feel * startBeat)),
        beats,
      ),
    inBeats: true,
  }
}

function secondsWay({ recipe: { stretch } }: MixPart, start: number): Way {
  return {
    atSecond: (second) => second,
    secondAt: (at) => at,
    timelineAt: (gone) => start + gone * stretch,
    toOwn: (ahead) => straight(1 / stretch, ahead - start / stretch),
    inBeats: false,
  }
}

/** One round of a repeating part: all of the source, or whole beats of it from its first one on. */
function roundOf(way: Way, ownEnd: number, beatsPerBar: number) {
  return { start: 0, length: way.inBeats ? loopBeats(ownEnd, beatsPerBar) : ownEnd }
}

const modulo = (value: number, by: number) => ((value % by) + by) % by

/** The frame of the source that a lap begins with, where it passes at its own speed and pitch throughout. */
function asItIsAt(map: TimeMap, { recipe }: MixPart): number | undefined {
  if (recipe.pitchSemitones !== 0 || recipe.pitchLine || (recipe.formants === 'shift' && recipe.formantSemitones))
    return undefined
  const first = map.sourceAt(asOutput(0))
  for (let n = 0; n <= LOOKS; n++) {
    const at = (n / LOOKS) * map.length
    if (Math.abs(map.speedAt(asOutput(at)) - 1) > SAME) return undefined
    if (Math.abs(map.sourceAt(asOutput(at)) - first - at) > SAME_FRAMES) return undefined
  }
  return Math.round(first)
}
