import { artefactKind, figureOf, gradeOf, verdictOf, worstFirst } from '../../../core'
import { partFacts, type Source, type Variant } from '../../../session'
import { renderKeyOf } from '../../session/render/renders'
import { useSession } from '../../session/state/store'

/** The worst that was measured of a variant, in a few words; all of it in its tooltip. */
export function HarmLine({ source, variant }: { source: Source; variant: Variant }) {
  const state = useSession((state) => state.trials[variant.id])
  const fresh = state?.key === renderKeyOf(source, variant)
  if (!state?.trial || !fresh || state.status !== 'done') {
    return (
      <span className="caption">
        {state?.status === 'running' ? `measuring ${Math.round(100 * state.progress)} %` : 'not measured yet'}
      </span>
    )
  }
  const { measurement } = state.trial
  const worst = worstFirst(measurement.artefacts)
  const [first] = worst
  const title = verdictOf(measurement, partFacts(source)?.sampleRate ?? 48_000)
  if (!first) {
    return (
      <span className="text-[12px] text-soft" title={title}>
        no harm is audible
      </span>
    )
  }
  const grade = gradeOf(first.id, first.value)
  return (
    <span className="max-w-full truncate text-[12px]" title={title}>
      <span className={grade === 'slight' ? 'text-soft' : 'text-trouble'}>
        {first.id === 'clicks' ? '' : `${artefactKind(first.id).label} `}
        {figureOf(first)}
      </span>
      {worst.length > 1 && <span className="text-faint"> +{worst.length - 1}</span>}
    </span>
  )
}
