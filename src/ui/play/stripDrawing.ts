import type { Overview } from '../../core'
import type { View } from '../bench/lanes/geometry'
import { addColumn, levelFor, spanOf } from '../common/levels'

/** The strip's scale and its drawing. All frames are of the result. */

/** so few samples are seen one by one */
const FEWEST_FRAMES = 64

export function clampStrip(view: View, frames: number, _rate: number): View {
  const span = Math.min(frames, Math.max(Math.min(frames, FEWEST_FRAMES), view.span))
  return { start: Math.min(Math.max(0, view.start), frames - span), span }
}

/** Zoom so that what lies under `x` stays there; 2 = twice as close. */
export function zoomStrip(view: View, x: number, factor: number, frames: number, rate: number, widthPx: number): View {
  const fixed = view.start + (x / widthPx) * view.span
  const { span } = clampStrip({ start: 0, span: view.span / factor }, frames, rate)
  return clampStrip({ start: fixed - (x / widthPx) * span, span }, frames, rate)
}

/** Samples of a part of the result, mixed for drawing. */
export interface Detail {
  readonly from: number
  readonly samples: Float32Array
}

export interface StripDrawing {
  readonly view: View
  readonly widthPx: number
  readonly heightPx: number
  /** of the result, as it was rendered */
  readonly drawn: Overview | undefined
  /** of the source: what the result is expected to look like where it is not rendered */
  readonly expected: Overview | undefined
  readonly sourceAt: (outputFrame: number) => number
  readonly detail: Detail | undefined
  readonly colour: string
  readonly faint: string
  readonly rule: string
}

/** below so many frames a pixel samples are a line */
const LINE_FROM = 2

export function drawStrip(context: CanvasRenderingContext2D, strip: StripDrawing) {
  const { view, widthPx, heightPx, drawn, expected, sourceAt, detail } = strip
  context.clearRect(0, 0, widthPx, heightPx)
  const middle = heightPx / 2
  const reach = middle - 2
  context.fillStyle = strip.rule
  context.fillRect(0, Math.round(middle), widthPx, 1)
  const perPx = view.span / widthPx
  const isClose =
    detail && detail.from <= view.start && detail.from + detail.samples.length >= view.start + view.span - 1
  if (isClose && perPx < (drawn?.framesPerBin ?? Number.POSITIVE_INFINITY)) {
    drawSamples(context, strip, detail, middle, reach)
    return
  }
  const overview = drawn ?? expected
  if (!overview) return
  const at = (x: number) => {
    const frame = view.start + x * perPx
    return drawn ? frame : sourceAt(frame)
  }
  const level = levelFor(overview, Math.max(1, (at(widthPx) - at(0)) / widthPx))
  const shape = { outline: new Path2D(), body: new Path2D() }
  for (let x = 0; x < widthPx; x++) {
    const first = Math.floor(at(x) / level.framesPerBin)
    const last = Math.max(first + 1, Math.floor(at(x + 1) / level.framesPerBin))
    const span = spanOf(level, first, last)
    if (span) addColumn(shape, span, x, middle, reach)
  }
  context.fillStyle = drawn ? strip.colour : strip.faint
  context.globalAlpha = drawn ? 0.5 : 0.3
  context.fill(shape.outline)
  context.globalAlpha = drawn ? 1 : 0.45
  context.fill(shape.body)
  context.globalAlpha = 1
}

function drawSamples(
  context: CanvasRenderingContext2D,
  { view, widthPx, colour }: StripDrawing,
  { from, samples }: Detail,
  middle: number,
  reach: number,
) {
  const perPx = view.span / widthPx
  context.strokeStyle = colour
  context.fillStyle = colour
  context.lineWidth = 1.2
  context.beginPath()
  if (perPx <= LINE_FROM) {
    const first = Math.max(0, Math.floor(view.start - from))
    const last = Math.min(samples.length - 1, Math.ceil(view.start + view.span - from))
    for (let i = first; i <= last; i++) {
      const x = (from + i - view.start) / perPx
      const y = middle - reach * Math.max(-1, Math.min(1, samples[i] as number))
      if (i === first) context.moveTo(x, y)
      else context.lineTo(x, y)
    }
    context.stroke()
    return
  }
  for (let x = 0; x < widthPx; x++) {
    const first = Math.max(0, Math.floor(view.start + x * perPx - from))
    const last = Math.min(samples.length, Math.ceil(view.start + (x + 1) * perPx - from))
    let [low, high] = [0, 0]
    for (let i = first; i < last; i++) {
      low = Math.min(low, samples[i] as number)
      high = Math.max(high, samples[i] as number)
    }
    const top = middle - reach * Math.min(1, high)
    context.rect(x, top, 1, Math.max(1, reach * (Math.min(1, high) - Math.max(-1, low))))
  }
  context.fill()
}
