import type { TimedDot } from '../../../session'
import { type View, xOf } from '../lanes/geometry'
import { gapText } from './words'

/** The off-grid plot as numbers: time across as in the lanes, late up, early down. */

export const PLOT_PX = 96
const EDGE_PX = 9
/** how far the plot reaches either way, ms: the least of these that holds all dots */
const REACHES = [20, 40, 80, 160, 320, 640] as const
const GRAB_PX = 9

/** How far either way a plot has to reach to hold all of these, ms. */
export function reachOf(dots: readonly TimedDot[]): number {
  let most = 0
  for (const dot of dots) most = Math.max(most, Math.abs(lateOf(dot, 'before')), Math.abs(lateOf(dot, 'now')))
  return REACHES.find((reach) => reach >= most) ?? Math.ceil(most)
}

/** How far behind its place on the straight grid a dot was played, or sounds now, ms. */
export const lateOf = ({ seconds, own, straight }: TimedDot, when: 'before' | 'now') =>
  1000 * ((when === 'now' ? own : seconds) - straight)

export const yOf = (ms: number, reach: number) => PLOT_PX / 2 - (ms / reach) * (PLOT_PX / 2 - EDGE_PX)
/** the ms that so many pixels downwards are */
export const msOfPx = (px: number, reach: number) => (-px * reach) / (PLOT_PX / 2 - EDGE_PX)

export const radiusOf = ({ strength }: TimedDot) => 2 + 2.6 * Math.sqrt(strength)

/** The dot under a place of the plot; the nearest of several. */
export function dotAt(
  dots: readonly TimedDot[],
  x: number,
  y: number,
  { view, widthPx, rate, reach }: PlotShape,
): TimedDot | undefined {
  let best: TimedDot | undefined
  let nearest = GRAB_PX
  for (const dot of dots) {
    const dx = xOf(view, dot.seconds * rate, widthPx) - x
    if (Math.abs(dx) > GRAB_PX) continue
    const far = Math.hypot(dx, yOf(lateOf(dot, 'now'), reach) - y)
    if (far < nearest) {
      nearest = far
      best = dot
    }
  }
  return best
}

export interface PlotShape {
  readonly view: View
  readonly widthPx: number
  readonly rate: number
  readonly reach: number
}

/** a gap that is stretched by this ratio, either way, is under strain; and where it is under much */
const STRAINED = 1.1
const MUCH_STRAINED = 1.3
/** a gap so wide on screen has room for its figure, px */
const FIGURE_FROM_PX = 34

/** The gaps between neighbouring dots that are stretched or pressed, and how badly. */
export function strainedGaps(dots: readonly TimedDot[]) {
  return dots.slice(1).flatMap((to, n) => {
    const from = dots[n] as TimedDot
    const stretch = (to.own - from.own) / (to.seconds - from.seconds)
    const ratio = Math.max(stretch, 1 / stretch)
    return ratio >= STRAINED ? [{ from, to, stretch, isMuch: ratio >= MUCH_STRAINED }] : []
  })
}

export interface PlotColours {
  readonly dot: string
  readonly before: string
  readonly grid: string
  readonly hand: string
  readonly rule: string
  readonly strain: string
}

/**
 * Draw dots against their grid: a ring where each was played, a disc where it sounds now and a line between; a square
 * was set by hand. The grid is the level line, bent where swing or a groove bend it.
 */
export function drawPlot(
  context: CanvasRenderingContext2D,
  dots: readonly TimedDot[],
  shape: PlotShape,
  colours: PlotColours,
  chosen: TimedDot | undefined,
) {
  const { view, widthPx, rate, reach } = shape
  context.clearRect(0, 0, widthPx, PLOT_PX)
  context.fillStyle = colours.rule
  for (const ms of [reach, -reach]) context.fillRect(0, Math.round(yOf(ms, reach)), widthPx, 1)
  context.fillStyle = colours.grid
  context.fillRect(0, Math.round(yOf(0, reach)), widthPx, 1)
  const seen = dots.filter(({ seconds }) => {
    const x = xOf(view, seconds * rate, widthPx)
    return x > -20 && x < widthPx + 20
  })
  // strain is told by how thick its bar is, and by its figure
  context.fillStyle = colours.strain
  context.font = '500 10px "Archivo Variable", sans-serif'
  for (const { from, to, stretch, isMuch } of strainedGaps(seen)) {
    const [a, b] = [xOf(view, from.seconds * rate, widthPx), xOf(view, to.seconds * rate, widthPx)]
    context.fillRect(a + 1, PLOT_PX - (isMuch ? 5 : 3), b - a - 2, isMuch ? 4 : 2)
    if (b - a >= FIGURE_FROM_PX) context.fillText(gapText(stretch), a + 3, PLOT_PX - 8)
  }
  context.strokeStyle = colours.grid
  context.lineWidth = 1
  context.beginPath()
  seen.forEach(({ bent, straight, seconds }, n) => {
    const [x, y] = [xOf(view, seconds * rate, widthPx), yOf(1000 * (bent - straight), reach)]
    if (n === 0) context.moveTo(x, y)
    else context.lineTo(x, y)
  })
  context.stroke()
  for (const dot of seen) {
    const x = xOf(view, dot.seconds * rate, widthPx)
    const [was, now] = [yOf(lateOf(dot, 'before'), reach), yOf(lateOf(dot, 'now'), reach)]
    const r = radiusOf(dot)
    if (Math.abs(was - now) > 0.5) {
      context.strokeStyle = colours.before
      context.beginPath()
      context.arc(x, was, r, 0, 2 * Math.PI)
      context.moveTo(x, was)
      context.lineTo(x, now)
      context.stroke()
    }
    context.fillStyle = dot.byHand ? colours.hand : colours.dot
    if (dot.byHand) context.fillRect(x - r, now - r, 2 * r, 2 * r)
    else {
      context.beginPath()
      context.arc(x, now, r, 0, 2 * Math.PI)
      context.fill()
    }
    if (dot.seconds === chosen?.seconds) {
      context.strokeStyle = colours.hand
      context.lineWidth = 1.5
      context.beginPath()
      context.arc(x, now, r + 3.5, 0, 2 * Math.PI)
      context.stroke()
      context.lineWidth = 1
    }
  }
}
