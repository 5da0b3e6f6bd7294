/** Which part of the source the lanes show: first frame and frames across. All lanes share it. */
export interface View {
  readonly start: number
  readonly span: number
}

/** what lies left of the time axis: the heads of lanes */
export const HEAD_PX = 208
/** what tells the ribbons, under the lanes */
export const LEGEND_PX = 19

/** pixels never show less than this many source frames: the overview holds no finer detail */
const FEWEST_FRAMES_PER_PX = 8

export const wholeView = (frames: number): View => ({ start: 0, span: Math.max(1, frames) })

export const xOf = (view: View, frame: number, widthPx: number): number => ((frame - view.start) / view.span) * widthPx
export const frameAt = (view: View, x: number, widthPx: number): number => view.start + (x / widthPx) * view.span

/** Keep a view inside the sound. */
export function clampView(view: View, frames: number, widthPx: number): View {
  const least = Math.min(frames, FEWEST_FRAMES_PER_PX * Math.max(1, widthPx))
  const span = Math.min(frames, Math.max(least, view.span))
  return { start: Math.min(Math.max(0, view.start), frames - span), span }
}

/** Zoom by `factor` (2 = twice as close) so that what lies under `x` stays there. */
export function zoomAt(view: View, x: number, factor: number, frames: number, widthPx: number): View {
  const fixed = frameAt(view, x, widthPx)
  const span = clampView({ start: 0, span: view.span / factor }, frames, widthPx).span
  return clampView({ start: fixed - (x / widthPx) * span, span }, frames, widthPx)
}

export function pan(view: View, byFrames: number, frames: number, widthPx: number): View {
  return clampView({ start: view.start + byFrames, span: view.span }, frames, widthPx)
}

/** The view turned by a page when `frame` has left it; the same view otherwise. */
export function follow(view: View, frame: number, frames: number, widthPx: number): View {
  if (frame >= view.start && frame < view.start + view.span) return view
  return clampView({ start: frame - 0.02 * view.span, span: view.span }, frames, widthPx)
}

export interface Tick {
  readonly x: number
  readonly seconds: number
  readonly major: boolean
}

const STEPS = [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 3600]

/**
 * Marks at round seconds over a range that spans the width; `frameOf` says at which frame of the view a second lies.
 * Major ones are far enough apart for a label.
 */
export function ticks(
  fromSeconds: number,
  toSeconds: number,
  widthPx: number,
  xAtSeconds: (seconds: number) => number,
  labelPx: number,
): Tick[] {
  const perPx = (toSeconds - fromSeconds) / widthPx
  const step = STEPS.find((s) => s / perPx >= labelPx) ?? (STEPS.at(-1) as number)
  const minor = step / (String(step).includes('2') ? 4 : 5)
  const out: Tick[] = []
  for (let n = Math.ceil(fromSeconds / minor); n * minor <= toSeconds && out.length < 2000; n++) {
    const seconds = n * minor
    out.push({ x: xAtSeconds(seconds), seconds, major: Math.abs(seconds / step - Math.round(seconds / step)) < 1e-6 })
  }
  return out
}

/** As many decimals as tell neighbouring labels apart. */
export function tickText(seconds: number, stepSeconds: number): string {
  const digits = stepSeconds >= 1 ? 0 : stepSeconds >= 0.1 ? 1 : stepSeconds >= 0.01 ? 2 : 3
  if (seconds < 60) return `${seconds.toFixed(digits)}`
  const minutes = Math.floor(seconds / 60)
  return `${minutes}:${(seconds - minutes * 60).toFixed(digits).padStart(digits > 0 ? digits + 3 : 2, '0')}`
}
