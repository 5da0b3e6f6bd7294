import {
  artefactKind,
  type Finding,
  figureOf,
  findingsOf,
  gradeOf,
  isTold,
  methodById,
  planOf,
  verdictOf,
} from '../../../core'
import { partFacts, recipeOf, type Source, type Variant } from '../../../session'
import { renderKeyOf } from '../../session/render/renders'
import { useSession } from '../../session/state/store'

/** How far a method with one speed for both is off the pitch that was asked for; it stands before all figures. */
function pitchOff(source: Source, variant: Variant): string {
  const { tied, pitchSemitones } = source.target
  if (tied || !methodById(variant.methodId).tiesPitchToSpeed) return ''
  const size = partFacts(source) ?? { frames: 1, sampleRate: 48_000 }
  const off = planOf(recipeOf(source, variant), size).pitchSemitones - pitchSemitones
  return Math.abs(off) < 0.01 ? '' : `pitch ${off > 0 ? '+' : '−'}${Math.abs(off).toFixed(1)} st off · `
}

/** The figure of the whole where that is heard, else in how many places it is. */
const shortFigure = ({ artefact, local }: Finding) =>
  local && gradeOf(artefact.id, artefact.value) === 'not audible'
    ? `in ${local.count === 1 ? 'one place' : `${local.count} places`}`
    : figureOf(artefact)

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
  const off = pitchOff(source, variant)
  const worst = findingsOf(measurement)
  const [first] = worst
  const title = verdictOf(measurement, partFacts(source)?.sampleRate ?? 48_000)
  if (!first) {
    return (
      <span className="max-w-full truncate text-[12px] text-soft" title={title}>
        {off}
        {isTold(measurement) ? 'no harm is audible' : 'too short to tell'}
      </span>
    )
  }
  const { id } = first.artefact
  return (
    <span className="max-w-full truncate text-[12px]" title={title}>
      {off && <span className="text-trouble">{off}</span>}
      <span className={first.grade === 'slight' ? 'text-soft' : 'text-trouble'}>
        {id === 'clicks' ? '' : `${artefactKind(id).label} `}
        {shortFigure(first)}
      </span>
      {worst.length > 1 && <span className="text-faint"> +{worst.length - 1}</span>}
    </span>
  )
}
