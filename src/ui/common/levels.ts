import { coarsen, type Overview } from '../../core'

const pyramids = new WeakMap<Overview, Overview[]>()
const LEVEL_FACTOR = 4

/** The coarsest drawing of a sound that still has at least one bin per `framesPerPx`. */
export function levelFor(overview: Overview, framesPerPx: number): Overview {
  let levels = pyramids.get(overview)
  if (!levels) {
    levels = [overview]
    pyramids.set(overview, levels)
  }
  let level = 0
  while (overview.framesPerBin * LEVEL_FACTOR ** (level + 1) <= framesPerPx) {
    level++
    if (!levels[level]) levels[level] = coarsen(levels[level - 1] as Overview, LEVEL_FACTOR)
  }
  return levels[level] as Overview
}

export interface Span {
  readonly low: number
  readonly high: number
  readonly rms: number
}

/** What a drawing shows of its bins from `first` to before `last`; nothing where it has none. */
export function spanOf(level: Overview, first: number, last: number): Span | undefined {
  const from = Math.max(0, first)
  const to = Math.min(level.low.length, last)
  if (to <= from) return undefined
  let low = 0
  let high = 0
  let power = 0
  for (let bin = from; bin < to; bin++) {
    low = Math.min(low, level.low[bin] as number)
    high = Math.max(high, level.high[bin] as number)
    power += (level.rms[bin] as number) ** 2
  }
  return { low, high, rms: Math.sqrt(power / (to - from)) }
}

/** One pixel of a waveform: the light shape spans the samples, the solid one within it the level. */
export function addColumn(
  { outline, body }: { readonly outline: Path2D; readonly body: Path2D },
  { low, high, rms }: Span,
  x: number,
  middle: number,
  reach: number,
) {
  const top = middle - Math.min(1, high) * reach
  const bottom = middle - Math.max(-1, low) * reach
  outline.rect(x, top, 1, Math.max(1, bottom - top))
  const solid = Math.min(1, rms) * reach
  const above = Math.max(top, middle - solid)
  body.rect(x, above, 1, Math.max(1, Math.min(bottom, middle + solid) - above))
}
