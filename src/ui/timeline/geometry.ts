import type { OpenMetre } from '../../core'

/** What of the timeline is in sight: its first beat, and beats across. */
export interface BeatView {
  readonly start: number
  readonly span: number
}

const LEAST_SPAN = 1
const MOST_SPAN = 4000
/** beats to the left of the first one: room for a part's head to be taken hold of */
export const LEFT_BEATS = -0.5

export const xOfBeat = ({ start, span }: BeatView, beat: number, widthPx: number) => ((beat - start) / span) * widthPx
export const beatOfX = ({ start, span }: BeatView, x: number, widthPx: number) =>
  start + (x / Math.max(1, widthPx)) * span

/** Nearer or farther around a beat that stays where it is on screen. */
export function zoomedBeats(view: BeatView, factor: number, around: number): BeatView {
  const span = Math.min(MOST_SPAN, Math.max(LEAST_SPAN, view.span / factor))
  const start = around - ((around - view.start) / view.span) * span
  return { start: Math.max(LEFT_BEATS, start), span }
}

export const scrolledBeats = ({ start, span }: BeatView, share: number): BeatView => ({
  start: Math.max(LEFT_BEATS, start + share * span),
  span,
})

export interface GridLine {
  readonly beat: number
  readonly x: number
  /** from 1 on; of a bar line */
  readonly bar: number | undefined
  /** whether its number has room */
  readonly named: boolean
}

const LEAST_LINE_PX = 9
const LEAST_NAME_PX = 34

/** Bars and beats in sight, as many as have room; numbers stand on round bars where not on all. */
export function gridLines(view: BeatView, widthPx: number, { barAt, beatOfBar }: OpenMetre): GridLine[] {
  const perBeat = widthPx / view.span
  const lines: GridLine[] = []
  let bar = Math.max(0, barAt(view.start).bar)
  for (; beatOfBar(bar) <= view.start + view.span; bar++) {
    const beat = beatOfBar(bar)
    const { beatsPerBar } = barAt(beat)
    const barPx = beatsPerBar * perBeat
    const every = stepOf(LEAST_LINE_PX / barPx)
    if (bar % every !== 0) continue
    const names = stepOf(LEAST_NAME_PX / barPx)
    lines.push({ beat, x: xOfBeat(view, beat, widthPx), bar: bar + 1, named: bar % names === 0 })
    if (perBeat < LEAST_LINE_PX) continue
    for (let n = 1; n < beatsPerBar; n++)
      lines.push({ beat: beat + n, x: xOfBeat(view, beat + n, widthPx), bar: undefined, named: false })
  }
  return lines.filter(({ x }) => x >= -1 && x <= widthPx + 1)
}

/** The power of two that is at least so much. */
const stepOf = (least: number) => 2 ** Math.max(0, Math.ceil(Math.log2(least)))

/** A beat as people say it: bar and beat of it, both from 1 on. */
export function barText({ barAt }: OpenMetre, beat: number): string {
  const { bar, beat: into } = barAt(beat + 1e-6)
  return `${bar + 1}.${Math.floor(into) + 1}`
}

/** The tempo curve's scale: what tempi its height stands for. */
export function tempiInSight(tempi: readonly number[]): { readonly least: number; readonly most: number } {
  const least = Math.min(...tempi)
  const most = Math.max(...tempi)
  const room = Math.max(8, 0.25 * (most - least))
  return { least: Math.max(5, least - room), most: most + room }
}
