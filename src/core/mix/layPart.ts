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
import { passageOf, type TimeMap, timeMapOf } from '../timeline/timeMap'
import { speedMap } from '../timing/speedCurve'
import { pinsWay } from '../timing/timing'
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

/** Beats in one round, counted from the first: whole bars where there is one, else whole beats, else all of it. */
function wholeBeats(ownEnd: number, beatsPerBar: number): number {
  const whole = Math.round(ownEnd)
  if (whole >= 1 && Math.abs(ownEnd - whole) < NEARLY_WHOLE) return whole
  const bars = Math.floor(ownEnd / beatsPerBar)
  if (bars >= 1) return bars * beatsPerBar
  return ownEnd >= 1 ? Math.floor(ownEnd) : ownEnd
}

/**
 * Lay a part: where it begins and ends in the mix, frame by frame, and which moment of its source is heard at each.
 * One that is locked to bars goes timeline → beats → beats of its source → its own time → pins → source: its beats are
 * laid, so a speed curve has no say. One that is locked to seconds goes at its own stretch, by its speed curve.
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
  const way = part.lock === 'bars' && part.own ? barsWay(part, tempo) : secondsWay(part, start, size)
  const pins = pinsWay(part.recipe, size.frames, size.sampleRate)
  const ownEnd = way.atSecond(ownSeconds)
  const whole = part.repeat ? way.roundOf(ownEnd, beatsPerBar) : undefined
  const round = whole !== undefined && way.timelineAt(whole) - start >= SHORTEST_ROUND_SECONDS ? whole : undefined
  const offset = round === undefined ? part.offset : modulo(part.offset, round)
  // counted on the axis that the part holds on to, from its start
  const natural = (round ?? ownEnd) - offset
  const end = part.beats === undefined ? way.timelineAt(natural) : tempo.secondsAt(part.startBeat + part.beats)
  const to = Math.round(end * rate)
  if (!(to > from)) return undefined
  const fade = Math.round(LAP_FADE_SECONDS * rate)
  const laps: Lap[] = []
  for (let n = 0; n < MOST_LAPS; n++) {
    // what of the part's own axis has gone by when the lap begins
    const gone = n === 0 ? 0 : n * (round ?? 0) - offset
    const lapFrom = Math.round(way.timelineAt(gone) * rate)
    const lapEnd = round === undefined ? to : Math.round(way.timelineAt((n + 1) * round - offset) * rate)
    const lapTo = Math.min(to, lapEnd)
    if (lapTo > lapFrom) {
      const zero = n === 0 ? lapFrom : lapFrom - fade
      const second = straight<OutputFrame, TimelineSecond>(1 / size.sampleRate, zero / rate)
      const ownTime = composed(second, way.toOwn(n === 0 ? offset : -gone))
      const own = pins ? composed(ownTime, pins) : ownTime
      const length = ((lapTo - zero) / rate + BEHIND_SECONDS) * size.sampleRate
      const map = timeMapOf(composed(own, straight<number, SourceFrame>(size.sampleRate)), size.frames, length)
      laps.push({ from: lapFrom, to: lapTo, zero, map })
    }
    if (lapEnd >= to) break
  }
  const sourceAt = (at: number) => (pins ? pins.to(way.secondAt(at)) : way.secondAt(at))
  return {
    part,
    from,
    to,
    laps,
    loop: round !== undefined && laps.length > 1 ? { start: sourceAt(0), end: sourceAt(round) } : undefined,
    startsInside: way.secondAt(offset) > 1 / size.sampleRate,
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
  /** from the timeline to seconds of the source, for a run that is so far into its source where the part begins */
  toOwn(ahead: number): Passage<TimelineSecond, number>
  /** how much of it is one round */
  roundOf(ownEnd: number, beatsPerBar: number): number
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
    roundOf: wholeBeats,
  }
}

function secondsWay({ recipe: { stretch, speedCurve } }: MixPart, start: number, size: PartSize): Way {
  const { frames, sampleRate } = size
  // its seconds as the curve has them, to those of its own time
  const curve = speedCurve
    ? composed(
        composed(straight<number, OutputFrame>(sampleRate), passageOf(speedMap(speedCurve, frames, sampleRate))),
        straight<number, number>(1 / sampleRate),
      )
    : straight<number, number>(1)
  return {
    atSecond: (second) => curve.from(second),
    secondAt: (at) => curve.to(at),
    timelineAt: (gone) => start + gone * stretch,
    toOwn: (ahead) => composed(straight<TimelineSecond, number>(1 / stretch, ahead - start / stretch), curve),
    roundOf: (ownEnd) => ownEnd,
  }
}

const modulo = (value: number, by: number) => ((value % by) + by) % by
