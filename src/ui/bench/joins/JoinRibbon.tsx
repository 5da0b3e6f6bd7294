import { methodById } from '../../../core'
import { partFacts, partStart, runsOf, type Source, type Variant, variantLike } from '../../../session'
import { laneColour } from '../../common/looks'
import { type View, xOf } from '../lanes/geometry'

export const JOINS_PX = 13

/** Who sounds where in a joined lane: one field for each run, in the colour of its method, with its letter. */
export function JoinRibbon(props: { source: Source; variant: Variant; view: View; widthPx: number }) {
  const { source, variant, view, widthPx } = props
  const { frames = 1, sampleRate = 48_000 } = partFacts(source) ?? {}
  const start = partStart(source)
  const runs = runsOf(variant)
  const at = (seconds: number) =>
    Math.max(0, Math.min(widthPx, xOf(view, Math.max(0, Math.min(frames, (seconds - start) * sampleRate)), widthPx)))
  const text = runs
    .map((run) => `from ${Math.max(0, run.source - start).toFixed(2)} s ${methodById(run.methodId).label}`)
    .join(', ')
  return (
    <div
      role="img"
      aria-label={`Who sounds where in variant ${variant.letter}: ${text}`}
      className="absolute top-0 left-[208px] z-10"
      style={{ width: widthPx, height: JOINS_PX }}
    >
      {runs.map((run, n) => {
        const [left, right] = [
          n === 0 ? at(start) : at(run.source),
          at(runs[n + 1]?.source ?? Number.POSITIVE_INFINITY),
        ]
        if (right - left < 1) return null
        const letter = variantLike(source, run)?.letter
        const { label } = methodById(run.methodId)
        return (
          <span
            key={run.source}
            title={label}
            className="absolute inset-y-0 overflow-hidden border-r border-ground px-1 text-[10px] leading-[13px] font-[680] whitespace-nowrap text-[var(--on-lane)]"
            style={{ left, width: right - left, background: laneColour(run.methodId) }}
          >
            {right - left > 90 ? `${letter ? `${letter} ` : ''}${label}` : right - left > 12 ? letter : ''}
          </span>
        )
      })}
    </div>
  )
}
