import { ln } from '../dsp/portable'
import { AppError } from '../errors'
import { type Ramp, type RampKind, rampIntegral, rampInverse, rampRate } from './ramp'

/** How the tempo goes from an event to the next one: it stays, changes evenly over the beats, or by the same ratio. */
export type TempoCurve = 'step' | 'linear' | 'log'

/** From here on, the tempo is this. Units: beats from the start, beats a minute. */
export interface TempoEvent {
  readonly beat: number
  readonly bpm: number
  /** `step` where it is not said */
  readonly curve?: TempoCurve
}

/** Events rising by beat, at least one. Before the first and behind the last, the tempo stays. */
export type TempoLine = readonly TempoEvent[]

export const BPM_RANGE = { min: 5, max: 1000 } as const

/**
 * See that a tempo line is one.
 * @throws {AppError} `tempo/none`; `tempo/beat`, `tempo/order` and `tempo/bpm` with the number of the event, from 1 on.
 */
export function checkTempoLine(events: readonly TempoEvent[]): TempoLine {
  if (events.length === 0) throw new AppError('tempo/none')
  events.forEach(({ beat, bpm }, n) => {
    const event = n + 1
    if (!Number.isFinite(beat)) throw new AppError('tempo/beat', { event })
    if (n > 0 && beat <= (events[n - 1] as TempoEvent).beat) throw new AppError('tempo/order', { event, beat })
    if (!(bpm >= BPM_RANGE.min && bpm <= BPM_RANGE.max))
      throw new AppError('tempo/bpm', { event, bpm: String(bpm), least: BPM_RANGE.min, most: BPM_RANGE.max })
  })
  return events
}

/** From one event to the next. */
interface Piece {
  readonly beat: number
  /** beats a minute, over the beats of the piece */
  readonly tempo: Ramp
  /**
   * What ties its beats to its seconds.
   * A tempo that changes by the same ratio over the beats is a ramp of seconds a beat, over the beats.
   * One that changes evenly over the beats changes by the same ratio over the seconds. In beats a second.
   */
  readonly pace: Ramp
  readonly over: 'beats' | 'seconds'
}

/** tempi this near to one another are one */
const SAME = 1e-9

function pieceOf(line: TempoLine, n: number): Piece {
  const { beat, bpm, curve = 'step' } = line[n] as TempoEvent
  const next = line[n + 1]
  const length = (next?.beat ?? Number.POSITIVE_INFINITY) - beat
  const to = next?.bpm ?? bpm
  const ramp = (kind: RampKind, from: number, end: number, over = length): Ramp => ({
    kind,
    length: over,
    from,
    to: end,
  })
  if (curve === 'step' || Math.abs(to / bpm - 1) < SAME)
    return { beat, tempo: ramp('line', bpm, bpm), pace: ramp('line', 60 / bpm, 60 / bpm), over: 'beats' }
  const tempo = ramp(curve, bpm, to)
  if (curve === 'log') return { beat, tempo, pace: ramp('log', 60 / bpm, 60 / to), over: 'beats' }
  const seconds = (60 * length * ln(to / bpm)) / (to - bpm)
  return { beat, tempo, pace: ramp('log', bpm / 60, to / 60, seconds), over: 'seconds' }
}

/** Seconds from a piece's start to a beat of it. */
const secondsIn = ({ beat, pace, over }: Piece, at: number) =>
  (over === 'beats' ? rampIntegral : rampInverse)(pace, at - beat)

/** The beat of a piece at so many seconds from its start. */
const beatIn = ({ beat, pace, over }: Piece, seconds: number) =>
  beat + (over === 'beats' ? rampInverse : rampIntegral)(pace, seconds)

export interface OpenTempo {
  /** seconds from beat 0; negative before it */
  secondsAt(beat: number): number
  beatAt(seconds: number): number
  bpmAt(beat: number): number
}

/** A tempo line that can be asked: beats ↔ seconds in closed form, both ways. Second 0 is beat 0. */
export function openTempo(line: TempoLine): OpenTempo {
  const pieces = line.map((_, n) => pieceOf(line, n))
  const first = pieces[0] as Piece
  // seconds from the first event to each
  const starts = [0]
  for (let n = 1; n < pieces.length; n++)
    starts.push((starts[n - 1] as number) + secondsIn(pieces[n - 1] as Piece, (pieces[n] as Piece).beat))
  const lastWhere = (holds: (n: number) => boolean) => {
    let low = 0
    let high = pieces.length - 1
    while (low < high) {
      const middle = (low + high + 1) >> 1
      if (holds(middle)) low = middle
      else high = middle - 1
    }
    return low
  }
  const fromFirst = (beat: number) => {
    if (beat <= first.beat) return (60 * (beat - first.beat)) / first.tempo.from
    const n = lastWhere((i) => (pieces[i] as Piece).beat <= beat)
    return (starts[n] as number) + secondsIn(pieces[n] as Piece, beat)
  }
  const origin = fromFirst(0)
  return {
    secondsAt: (beat) => fromFirst(beat) - origin,
    beatAt(seconds) {
      const since = seconds + origin
      if (since <= 0) return first.beat + (since * first.tempo.from) / 60
      const n = lastWhere((i) => (starts[i] as number) <= since)
      return beatIn(pieces[n] as Piece, since - (starts[n] as number))
    },
    bpmAt(beat) {
      if (beat <= first.beat) return first.tempo.from
      const piece = pieces[lastWhere((i) => (pieces[i] as Piece).beat <= beat)] as Piece
      return rampRate(piece.tempo, beat - piece.beat)
    },
  }
}

/** The same line with an event at a beat: a part of an even ramp is an even ramp. */
export function cutTempo(line: TempoLine, beat: number): TempoLine {
  if (line.some((event) => event.beat === beat)) return line
  const bpm = openTempo(line).bpmAt(beat)
  const behind = line.findIndex((event) => event.beat > beat)
  const at = behind < 0 ? line.length : behind
  const curve = line[at - 1]?.curve
  return [...line.slice(0, at), { beat, bpm, ...(at > 0 && curve && { curve }) }, ...line.slice(at)]
}

/** A stretch of the line, beats, the end exclusive; all of it where neither is said. */
export interface Beats {
  readonly from?: number
  readonly to?: number
}

/** how far before a jump a ramp ends that leads up to it, beats */
const HAIR = 1e-6

/**
 * Change the tempo of a stretch of the line, and nothing outside of it.
 * Ramps that lead up to either end of the stretch go where they went, and the tempo jumps there.
 */
function changed(line: TempoLine, { from, to }: Beats, change: (within: TempoLine) => TempoLine): TempoLine {
  let cut = line
  // what lies before all events holds on to the first: it gets one of its own where that is changed
  if (from !== undefined) cut = cutTempo(cutTempo(cut, Math.min(0, from - 1)), from)
  if (to !== undefined) cut = cutTempo(cut, to)
  const before = cut.filter(({ beat }) => from !== undefined && beat < from)
  const behind = cut.filter(({ beat }) => to !== undefined && beat >= to)
  const within = cut.filter((event) => !before.includes(event) && !behind.includes(event))
  const tempo = openTempo(line)
  const ledTo = (events: TempoLine, end: number | undefined) => {
    const last = events.at(-1)
    if (end === undefined || (last?.curve ?? 'step') === 'step') return events
    // one that lies there already only has to stay
    if (last && last.beat >= end - HAIR) return [...events.slice(0, -1), { beat: last.beat, bpm: last.bpm }]
    return [...events, { beat: end - HAIR, bpm: tempo.bpmAt(end) }]
  }
  return [...ledTo(before, from), ...change(ledTo(within, to)), ...behind]
}

const each = (within: TempoLine, change: (bpm: number) => number): TempoLine =>
  within.map((event) => ({ ...event, bpm: change(event.bpm) }))

/** Faster, or slower, by so many beats a minute. */
export const addTempo = (line: TempoLine, bpm: number, beats: Beats = {}) =>
  checkTempoLine(changed(line, beats, (within) => each(within, (value) => value + bpm)))

/** Faster, or slower, by a factor. */
export const multiplyTempo = (line: TempoLine, factor: number, beats: Beats = {}) =>
  checkTempoLine(changed(line, beats, (within) => each(within, (value) => value * factor)))

/** Hold the tempo within a range: a ramp that leaves it goes to its edge, stays there, and comes back where it did. */
export function limitTempo(line: TempoLine, least: number, most: number, beats: Beats = {}): TempoLine {
  let cut = line
  for (const edge of [least, most])
    line.forEach((_, n) => {
      const { beat, tempo } = pieceOf(line, n)
      const { kind, length, from, to } = tempo
      if (kind === 'line' || (from - edge) * (to - edge) >= 0) return
      const share = kind === 'linear' ? (edge - from) / (to - from) : ln(edge / from) / ln(to / from)
      cut = cutTempo(cut, beat + share * length)
    })
  const clamp = (value: number) => Math.max(least, Math.min(most, value))
  return checkTempoLine(changed(cut, beats, (within) => each(within, clamp)))
}

/** Go from one tempo to another between two beats, and stay there until the next event. */
export function rampTempo(
  line: TempoLine,
  ramp: {
    readonly from: number
    readonly to: number
    readonly start?: number
    readonly bpm: number
    readonly curve: TempoCurve
  },
): TempoLine {
  const { from, to, bpm, curve } = ramp
  if (!(to > from)) throw new AppError('tempo/order', { event: 2, beat: to })
  const start = ramp.start ?? openTempo(line).bpmAt(from)
  const rest = changed(line, { from, to }, () => [{ beat: from, bpm: start, curve }])
  return checkTempoLine(rest.map((event) => (event.beat === to ? { beat: to, bpm } : event)))
}

/** One tempo between two beats, and what was there before and behind them. */
export function tempoBetween(line: TempoLine, beats: Required<Beats>, bpm: number): TempoLine {
  // what goes on behind is the line as it was there: its event is kept, or made
  const behind = cutTempo(line, beats.to)
  return checkTempoLine(changed(behind, beats, () => [{ beat: beats.from, bpm }]))
}

/** One tempo for all of it: the one given, or the one that takes as long from the first event to the last. */
export function flattenTempo(line: TempoLine, bpm?: number): TempoLine {
  const first = (line[0] as TempoEvent).beat
  const last = (line.at(-1) as TempoEvent).beat
  const tempo = openTempo(line)
  const mean =
    last > first ? (60 * (last - first)) / (tempo.secondsAt(last) - tempo.secondsAt(first)) : tempo.bpmAt(first)
  return checkTempoLine([{ beat: first, bpm: bpm ?? mean }])
}

/**
 * The tempo line of a performance, by the seconds of its beats: beat n of the line lasts as long as the performance's.
 * @param every  beats that one event is for: 1 for each beat, as many as a bar has for each bar.
 */
export function tempoOfBeats(seconds: readonly number[], every = 1): TempoLine {
  const events: TempoEvent[] = []
  for (let n = 0; n + 1 < seconds.length; n += every) {
    const end = Math.min(seconds.length - 1, n + every)
    events.push({ beat: n, bpm: (60 * (end - n)) / ((seconds[end] as number) - (seconds[n] as number)) })
  }
  return checkTempoLine(events)
}

/** The tempo at each event as its mean over so many beats to either side, with even ramps between. */
export function smoothTempo(line: TempoLine, beats: number): TempoLine {
  const tempo = openTempo(line)
  return checkTempoLine(
    line.map(({ beat }) => ({
      beat,
      bpm: (60 * 2 * beats) / (tempo.secondsAt(beat + beats) - tempo.secondsAt(beat - beats)),
      curve: 'linear',
    })),
  )
}

/**
 * A line drawn by hand, as few even ramps as stay within so many beats a minute of what was drawn.
 * @param drawn  points rising by beat.
 * Source  Douglas & Peucker 1973.
 */
export function drawTempo(drawn: readonly TempoEvent[], within = 0.5): TempoLine {
  const keep = new Set([0, drawn.length - 1])
  const open: [number, number][] = [[0, drawn.length - 1]]
  for (let range = open.pop(); range; range = open.pop()) {
    const [first, last] = range
    const a = drawn[first] as TempoEvent
    const b = drawn[last] as TempoEvent
    let worst = 0
    let at = -1
    for (let n = first + 1; n < last; n++) {
      const { beat, bpm } = drawn[n] as TempoEvent
      const off = Math.abs(bpm - a.bpm - ((b.bpm - a.bpm) * (beat - a.beat)) / (b.beat - a.beat))
      if (off > worst) {
        worst = off
        at = n
      }
    }
    if (worst <= within) continue
    keep.add(at)
    open.push([first, at], [at, last])
  }
  const points = drawn.filter((_, n) => keep.has(n))
  return checkTempoLine(points.map(({ beat, bpm }) => ({ beat, bpm, curve: 'linear' })))
}
