import { type Overview, PITCH_HZ } from '../../../core'
import { addColumn, levelFor, spanOf } from '../../common/levels'
import { type Tick, type View, xOf } from './geometry'

export interface LaneDrawing {
  readonly view: View
  readonly widthPx: number
  readonly heightPx: number
  readonly overview: Overview | undefined
  /** where in what `overview` holds a source frame lies */
  readonly outputAt: (sourceFrame: number) => number
  readonly colour: string
  /** drawn faintly: what is shown belongs to an older recipe */
  readonly stale: boolean
  readonly ticks: readonly Tick[]
  readonly tickColour: string
  readonly labelColour: string
  readonly tickLabel: (tick: Tick) => string
  /**
   * of a single line: its pitch in Hz at even steps of source frames, 0 where there is none; and what it is drawn in
   */
  readonly pitch?: { readonly hz: Float32Array; readonly hopFrames: number; readonly colour: string } | undefined
}

/** Height of a pitch in a lane, by ratio: the lowest that is looked for at the bottom, the highest at the top. */
export function pitchY(hz: number, heightPx: number): number {
  const share = Math.log(hz / PITCH_HZ.min) / Math.log(PITCH_HZ.max / PITCH_HZ.min)
  return (1 - Math.min(1, Math.max(0, share))) * (heightPx - 8) + 4
}

function drawPitch(
  context: CanvasRenderingContext2D,
  lane: LaneDrawing,
  { hz, hopFrames, colour }: NonNullable<LaneDrawing['pitch']>,
) {
  const { view, widthPx, heightPx } = lane
  context.strokeStyle = colour
  context.lineWidth = 1.6
  context.beginPath()
  let last = 0
  const end = Math.min(hz.length - 1, Math.ceil((view.start + view.span) / hopFrames))
  for (let n = Math.max(0, Math.floor(view.start / hopFrames)); n <= end; n++) {
    const now = hz[n] as number
    if (now > 0) {
      const x = xOf(view, n * hopFrames, widthPx)
      const y = pitchY(now, heightPx)
      // a leap is another note, not a glide
      if (last > 0 && Math.abs(Math.log2(now / last)) < 0.12) context.lineTo(x, y)
      else context.moveTo(x, y)
    }
    last = now
  }
  context.stroke()
}

/**
 * A lane's waveform on the source's time: each pixel shows the output frames that the map puts there, so an attack
 * stands under the same x in every lane. The light shape spans the samples, the solid one the level (RMS).
 */
export function drawLane(context: CanvasRenderingContext2D, lane: LaneDrawing): void {
  const { view, widthPx, heightPx, overview, outputAt } = lane
  context.clearRect(0, 0, widthPx, heightPx)
  const waveHeight = lane.ticks.length > 0 ? heightPx - 13 : heightPx
  const middle = waveHeight / 2
  const reach = middle - 3
  context.globalAlpha = 1
  context.fillStyle = lane.tickColour
  context.fillRect(0, Math.round(middle), widthPx, 1)
  if (overview) {
    const at = (x: number) => outputAt(view.start + (x * view.span) / widthPx)
    const level = levelFor(overview, (at(widthPx) - at(0)) / widthPx)
    const shape = { outline: new Path2D(), body: new Path2D() }
    for (let x = 0; x < widthPx; x++) {
      const first = Math.floor(at(x) / level.framesPerBin)
      const last = Math.max(first + 1, Math.floor(at(x + 1) / level.framesPerBin))
      if (first < 0) continue
      if (first >= level.low.length) break
      const span = spanOf(level, first, last)
      if (span) addColumn(shape, span, x, middle, reach)
    }
    context.fillStyle = lane.colour
    context.globalAlpha = lane.stale ? 0.16 : 0.5
    context.fill(shape.outline)
    context.globalAlpha = lane.stale ? 0.2 : 1
    context.fill(shape.body)
  }
  context.globalAlpha = 1
  if (lane.pitch) drawPitch(context, lane, lane.pitch)
  context.font = '500 10px "Archivo Variable", sans-serif'
  context.textBaseline = 'alphabetic'
  for (const tick of lane.ticks) {
    context.fillStyle = lane.tickColour
    context.fillRect(Math.round(tick.x), heightPx - (tick.major ? 12 : 4), 1, tick.major ? 12 : 4)
    if (tick.major) {
      context.fillStyle = lane.labelColour
      context.fillText(lane.tickLabel(tick), Math.round(tick.x) + 4, heightPx - 3)
    }
  }
}

/** The range of a selection in pixels, cut to what is visible. */
export function selectionPx(view: View, selection: { start: number; end: number }, widthPx: number) {
  const left = Math.max(0, xOf(view, selection.start, widthPx))
  const right = Math.min(widthPx, xOf(view, selection.end, widthPx))
  return right > left ? { left, width: right - left } : undefined
}
