import { power } from '../dsp/portable'
import { asOutput, asSource, type OutputFrame } from './axes'
import type { TimeMap } from './timeMap'

export interface AttackHold {
  /** how far the map goes towards natural speed at an attack, 0–1 */
  readonly strength: number
  /** output frames before an attack from which on it runs naturally */
  readonly leadFrames: number
  /** output frames behind an attack until which it does: for all, or attack by attack */
  readonly holdFrames: number | readonly number[]
  /**
   * Output frames behind an attack's hold from which on the map goes back to where it would be without it, attack by
   * attack; where it has to hurry for that, it goes at once. Where it is undefined, or the next attack is too near, all
   * the time until that one makes up for the hold.
   */
  readonly makesUpAfter?: readonly (number | undefined)[]
  /**
   * source frames per output frame that count as natural at an attack, by its place and its number: 1, or less or more
   * where pitch is made by reading back
   */
  naturalSpeedAt(output: OutputFrame, attack: number): number
}

/** holds may take up to this share of the time between two attacks; the rest has to make up for them */
const MOST = 0.7
/** what a hold gains or loses is made up for over so many times it: at half or at one and a half of the map's speed */
const MADE_UP_OVER = 2

/** A run of output frames: within a hold one straight line, between holds a stretched piece of the map below. */
interface Span {
  readonly outputStart: number
  readonly outputEnd: number
  readonly sourceStart: number
  readonly sourceEnd: number
  /** where the span lies on the output of the map below; a hold has none */
  readonly base?: { readonly start: number; readonly end: number }
}

/**
 * A time map that passes every attack at its natural speed: from `leadFrames` before it to `holdFrames` behind it the map
 * runs straight, and the time between attacks takes up the difference. Attacks stay where the map below puts them, both
 * ends too. Where attacks lie too close, the holds between them shrink evenly.
 *
 * @param attacks  source frames, rising.
 */
export function holdAttacks(map: TimeMap, attacks: readonly number[], hold: AttackHold): TimeMap {
  if (hold.strength <= 0 || attacks.length === 0) return map
  const spans = layOut(map, attacks, hold)
  if (spans.length === 0) return map
  let near = 0
  const atOutput = (output: number): Span => {
    while (near > 0 && output < (spans[near] as Span).outputStart) near--
    while (near + 1 < spans.length && output >= (spans[near] as Span).outputEnd) near++
    return spans[near] as Span
  }
  const share = (x: number, from: number, to: number) => (to > from ? (x - from) / (to - from) : 0)
  const first = spans[0] as Span
  const last = spans[spans.length - 1] as Span
  return {
    sourceFrames: map.sourceFrames,
    length: map.length,
    outputFrames: map.outputFrames,
    sourceAt(output) {
      if (output < first.outputStart || output >= last.outputEnd) return map.sourceAt(output)
      const span = atOutput(output)
      const t = share(output, span.outputStart, span.outputEnd)
      if (!span.base) return asSource(span.sourceStart + t * (span.sourceEnd - span.sourceStart))
      return map.sourceAt(asOutput(span.base.start + t * (span.base.end - span.base.start)))
    },
    outputAt(source) {
      if (source < first.sourceStart || source >= last.sourceEnd) return map.outputAt(source)
      let low = 0
      let high = spans.length - 1
      while (low < high) {
        const middle = (low + high) >> 1
        if ((spans[middle] as Span).sourceEnd <= source) low = middle + 1
        else high = middle
      }
      const span = spans[low] as Span
      const t = span.base
        ? share(map.outputAt(source), span.base.start, span.base.end)
        : share(source, span.sourceStart, span.sourceEnd)
      return asOutput(span.outputStart + t * (span.outputEnd - span.outputStart))
    },
    speedAt(output) {
      if (output < first.outputStart || output >= last.outputEnd) return map.speedAt(output)
      const span = atOutput(output)
      const length = span.outputEnd - span.outputStart
      if (!span.base) return (span.sourceEnd - span.sourceStart) / length
      const t = share(output, span.outputStart, span.outputEnd)
      const scale = (span.base.end - span.base.start) / length
      return scale * map.speedAt(asOutput(span.base.start + t * (span.base.end - span.base.start)))
    },
  }
}

/** A frame of the output, and the one of the map below that is heard there. */
interface Corner {
  readonly output: number
  readonly base: OutputFrame
}

interface Between {
  readonly from: number
  readonly to: number
  readonly sourceFrom: number
  readonly sourceTo: number
  readonly settle: number | undefined
}

/** How the time between two holds goes by: straight from corner to corner, over the map below. */
function cornersBetween(map: TimeMap, { from, to, sourceFrom, sourceTo, settle }: Between): Corner[] {
  const first = { output: from, base: map.outputAt(asSource(sourceFrom)) }
  const last = { output: to, base: map.outputAt(asSource(sourceTo)) }
  if (settle === undefined) return [first, last]
  const staysFor = first.base > from ? settle : 0
  const stay = { output: from + staysFor, base: asOutput(first.base + staysFor) }
  const back = stay.output + MADE_UP_OVER * Math.abs(first.base - from)
  const away = to - MADE_UP_OVER * Math.abs(last.base - to)
  if (back >= away) return [first, last]
  const onMap = [back, away].map((output): Corner => ({ output, base: asOutput(output) }))
  return [first, stay, ...onMap, last].filter(
    ({ output }, i, all) => i === 0 || output > (all[i - 1]?.output as number),
  )
}

function layOut(map: TimeMap, attacks: readonly number[], hold: AttackHold): Span[] {
  const places = attacks
    .map((source, i) => {
      const holdFrames = typeof hold.holdFrames === 'number' ? hold.holdFrames : (hold.holdFrames[i] ?? 0)
      const output = map.outputAt(asSource(source))
      const speed = map.speedAt(output)
      const natural = hold.naturalSpeedAt(output, i)
      // halfway by ratio: half the strength passes an attack of a double stretch at 1/√2 of its speed
      const held = speed > 0 ? power(natural, hold.strength) * power(speed, 1 - hold.strength) : 0
      return { source, output: output as number, held, holdFrames, settle: hold.makesUpAfter?.[i] }
    })
    .filter((place) => place.held > 0 && place.output >= 0 && place.output <= map.outputFrames)
  const spans: Span[] = []
  // both ends of the result count as places that hold nothing
  let previousOutput = 0
  let previousSource: number = map.sourceAt(asOutput(0))
  let previousHeld = 1
  let behind = 0
  let settle: number | undefined
  const endOutput = map.outputFrames
  const endSource = map.sourceAt(asOutput(endOutput))
  let openOutput = 0
  let openSource = previousSource
  for (let i = 0; i <= places.length; i++) {
    const place = places[i] ?? { source: endSource, output: endOutput, held: 1, holdFrames: 0, settle: undefined }
    const isEnd = i === places.length
    const outputGap = place.output - previousOutput
    const sourceGap = place.source - previousSource
    const wantedBehind = behind
    const wantedLead = isEnd ? 0 : hold.leadFrames
    const need = Math.max(
      (wantedBehind + wantedLead) / Math.max(1e-9, outputGap),
      (wantedBehind * previousHeld + wantedLead * place.held) / Math.max(1e-9, sourceGap),
    )
    const shrink = need > MOST ? MOST / need : 1
    const tail = wantedBehind * shrink
    const lead = wantedLead * shrink
    if (tail > 0) {
      spans.push({
        outputStart: openOutput,
        outputEnd: previousOutput + tail,
        sourceStart: openSource,
        sourceEnd: previousSource + tail * previousHeld,
      })
    }
    const from = previousOutput + tail
    const to = place.output - lead
    const sourceFrom = previousSource + tail * previousHeld
    const sourceTo = place.source - lead * place.held
    const corners = to > from ? cornersBetween(map, { from, to, sourceFrom, sourceTo, settle }) : []
    for (let n = 1; n < corners.length; n++) {
      const [start, end] = [corners[n - 1], corners[n]] as [Corner, Corner]
      spans.push({
        outputStart: start.output,
        outputEnd: end.output,
        sourceStart: map.sourceAt(start.base),
        sourceEnd: map.sourceAt(end.base),
        base: { start: start.base, end: end.base },
      })
    }
    openOutput = to
    openSource = sourceTo
    previousOutput = place.output
    previousSource = place.source
    previousHeld = place.held
    behind = place.holdFrames
    settle = place.settle
  }
  return spans
}
