import { ArrowRight, Play, Square } from 'lucide-react'
import {
  artefactKind,
  findingsOf,
  foundFigureOf,
  harmText,
  isTold,
  methodById,
  type SweepPoint,
  verdictOf,
} from '../../core'
import type { Source } from '../../session'
import { timeText } from '../common/formats'
import { takeTried } from '../session/acts'
import { togglePlay } from '../session/hear/listening'
import { setOutlook } from '../session/state/outlook'
import { useSession } from '../session/state/store'
import { placeRecipe } from '../session/try/sweeps'
import { type Cell, placeName } from './model'

/** The chosen point in full: what was measured, and the ways on from there. */
export function PointPanel({
  source,
  cell,
  onHear,
}: {
  readonly source: Source
  readonly cell: Cell | undefined
  readonly onHear: (point: SweepPoint) => void
}) {
  const playing = useSession((state) => state.playing)
  const tried = useSession((state) => state.tried)
  if (!cell) {
    return (
      <section aria-label="Point" className="flex h-[104px] shrink-0 items-center border-t border-rule bg-deck px-5">
        <p className="max-w-[80ch] text-soft">
          Click a cell, or walk there with the arrow keys and press Enter: that method at that place is heard,
          level-matched, over the part of the sound it was measured on, and its figures stand here. Brackets show where
          harm gets clear.
        </p>
      </section>
    )
  }
  const { point } = cell
  const rate = source.facts?.sampleRate ?? 48_000
  const recipe = placeRecipe(source, point)
  const heard = playing && JSON.stringify(tried?.recipe) === JSON.stringify(recipe)
  const told = findingsOf(point.measurement)
  return (
    <section
      aria-label="Point"
      className="grid h-[104px] shrink-0 grid-cols-[1fr_auto] gap-x-6 border-t border-rule bg-deck px-5 py-3"
    >
      <div className="min-w-0">
        <p className="flex items-baseline gap-3">
          <span className="wide text-[15px]">
            {methodById(point.methodId).label} · {placeName(point.axis, point.at)}
          </span>
          <span className="caption">
            tried on {timeText(point.span.from / rate)} to {timeText(point.span.to / rate)} of the result · harm:{' '}
            {harmText(point.measurement)}
          </span>
        </p>
        <p className="mt-1 truncate text-soft" title={verdictOf(point.measurement, rate)}>
          {verdictOf(point.measurement, rate)}
        </p>
        <p className="mt-1.5 flex gap-x-4 overflow-hidden whitespace-nowrap">
          {told.length === 0 && (
            <span className="text-soft">
              {isTold(point.measurement)
                ? 'Every figure is under where it becomes audible.'
                : 'There is too little of it for any figure.'}
            </span>
          )}
          {told.slice(0, 6).map((finding) => (
            <span key={finding.artefact.id} title={artefactKind(finding.artefact.id).threshold}>
              <span className="caption">{artefactKind(finding.artefact.id).label}</span> {foundFigureOf(finding)}{' '}
              <span className="caption">{finding.grade}</span>
            </span>
          ))}
        </p>
      </div>
      <div className="flex flex-col items-stretch justify-center gap-2">
        <button
          type="button"
          className="plain-button justify-center border border-edge"
          onClick={() => (heard ? togglePlay() : onHear(point))}
        >
          {heard ? <Square size={13} /> : <Play size={13} />} {heard ? 'Stop' : 'Hear it'}
        </button>
        <button
          type="button"
          className="solid-button justify-center"
          title="The source's target becomes this, and the method a variant: one step of undo"
          onClick={() => {
            takeTried(source, recipe)
            setOutlook({ view: 'bench' })
          }}
        >
          To the bench <ArrowRight size={14} />
        </button>
      </div>
    </section>
  )
}
