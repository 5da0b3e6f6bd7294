import { asOutput, asSource, type LaidPart, type OpenTempo, type Overview } from '../../core'
import { lowerBound } from '../../core/dsp/search'
import { addColumn, levelFor, type Span, spanOf } from '../common/levels'
import { type BeatView, beatOfX, xOfBeat } from './geometry'

/** A part as it is drawn: the columns of its waveform as it will sound, and where its attacks lie against the grid. */
export interface PartDrawing {
  readonly laid: LaidPart
  readonly view: BeatView
  /** of the whole timeline */
  readonly widthPx: number
  readonly tempo: OpenTempo
  /** of the mix, Hz */
  readonly rate: number
  readonly sampleRate: number
  readonly overview: Overview | undefined
  /** frames of the source, rising */
  readonly attacks: readonly number[]
}

export interface Column extends Span {
  readonly x: number
}

/** maps bend slowly: between places so far apart they are drawn straight, px */
const STEP_PX = 8

/** The waveform of a part between two x, a column a pixel: each shows what of the source is heard there. */
export function columnsOf(drawing: PartDrawing, fromX: number, toX: number): Column[] {
  const { laid, view, widthPx, tempo, rate, sampleRate, overview } = drawing
  if (!overview) return []
  const columns: Column[] = []
  const secondsAt = (x: number) => tempo.secondsAt(beatOfX(view, x, widthPx))
  const xOfFrame = (frame: number) => xOfBeat(view, tempo.beatAt(frame / rate), widthPx)
  // as coarse as half of what a pixel shows
  const perPx = ((secondsAt(toX) - secondsAt(fromX)) * sampleRate) / Math.max(1, toX - fromX)
  const level = levelFor(overview, perPx / 2)
  const column = (x: number, start: number, end: number) => {
    const first = Math.max(0, Math.floor(start / level.framesPerBin))
    const span = spanOf(level, first, Math.max(first + 1, Math.ceil(end / level.framesPerBin)))
    if (span) columns.push({ x, ...span })
  }
  for (const { from, to, zero, map } of laid.laps) {
    const end = Math.min(toX, xOfFrame(to))
    let at = Math.max(fromX, xOfFrame(from))
    const sourceAt = (x: number) => map.sourceAt(asOutput((secondsAt(x) - zero / rate) * sampleRate))
    for (let here = sourceAt(at); at < end; ) {
      const next = Math.min(end, at + STEP_PX)
      const there = sourceAt(next)
      const slope = (there - here) / (next - at)
      for (let x = Math.ceil(at); x < next; x++)
        column(x, here + slope * (x - at), here + slope * (Math.min(end, x + 1) - at))
      at = next
      here = there
    }
  }
  return columns
}

/** Where attacks of a part in sight are heard: beats of the timeline, rising. */
export function attackBeats({ laid, view, tempo, rate, sampleRate, attacks }: PartDrawing): number[] {
  const beats: number[] = []
  const seen = [view.start, view.start + view.span].map((beat) => tempo.secondsAt(beat) * rate) as [number, number]
  for (const { from, to, zero, map } of laid.laps) {
    const sourceAt = (frame: number) => map.sourceAt(asOutput(((frame - zero) / rate) * sampleRate))
    const [first, last] = [Math.max(from, seen[0]), Math.min(to, seen[1])]
    if (last <= first) continue
    const end = sourceAt(last)
    for (let n = lowerBound(attacks, sourceAt(first) - 1); n < attacks.length && (attacks[n] as number) <= end; n++) {
      const frame = zero + (map.outputAt(asSource(attacks[n] as number)) / sampleRate) * rate
      if (frame >= from - 1 && frame < to - 1) beats.push(tempo.beatAt(frame / rate))
    }
  }
  return beats
}

/** grid places in a beat that attacks are held against */
const PLACES = 4
/** off the grid by more than this shows, share of a place */
const LOOSE = 0.12

/** How far a beat is off the nearest place of the grid, as a share of the way to the next one: −0.5 to 0.5. */
export const offGrid = (beat: number) => beat * PLACES - Math.round(beat * PLACES)

export const isLoose = (beat: number) => Math.abs(offGrid(beat)) > LOOSE

export interface PartColours {
  readonly wave: string
  readonly body: string
  readonly attack: string
  readonly loose: string
}

const ATTACK_PX = 7

/** Draw the part of the drawing between two x into a canvas whose left edge is the first of them. */
export function drawPart(
  context: CanvasRenderingContext2D,
  drawing: PartDrawing,
  fromX: number,
  toX: number,
  heightPx: number,
  colours: PartColours,
) {
  context.clearRect(0, 0, toX - fromX, heightPx)
  const middle = heightPx / 2 + 2
  const reach = heightPx / 2 - 5
  const shape = { outline: new Path2D(), body: new Path2D() }
  for (const column of columnsOf(drawing, Math.floor(fromX), Math.ceil(toX)))
    addColumn(shape, column, column.x - fromX, middle, reach)
  context.fillStyle = colours.wave
  context.fill(shape.outline)
  context.fillStyle = colours.body
  context.fill(shape.body)
  const { view, widthPx } = drawing
  const perBeat = widthPx / view.span
  if (perBeat < 7) return
  // what holds on to seconds is not meant to lie on the grid
  const isMeant = drawing.laid.part.lock === 'bars' && drawing.laid.part.own !== undefined
  for (const beat of attackBeats(drawing)) {
    const x = (beat - view.start) * perBeat - fromX
    if (x < -1 || x > toX - fromX + 1) continue
    const loose = isMeant && isLoose(beat)
    context.fillStyle = loose ? colours.loose : colours.attack
    context.fillRect(Math.round(x), 0, loose ? 2 : 1, ATTACK_PX)
    if (!loose) continue
    // what is off the grid leans to where it should be
    const by = offGrid(beat) > 0 ? -1 : 1
    context.beginPath()
    context.moveTo(Math.round(x) + 1, ATTACK_PX - 3)
    context.lineTo(Math.round(x) + 1 + 4 * by, ATTACK_PX)
    context.lineTo(Math.round(x) + 1, ATTACK_PX + 3)
    context.fill()
  }
}
