import { methodById, planOf } from '../../../core'
import { partFacts, recipeOf, type Source, type Variant } from '../../../session'
import { renderKeyOf } from '../../session/render/renders'
import { useSession } from '../../session/state/store'
import { HarmWords } from './HarmWords'

/** How far a method with one speed for both is off the pitch that was asked for; it stands before all figures. */
function pitchOff(source: Source, variant: Variant): string {
  const { tied, pitchSemitones } = source.target
  if (tied || !methodById(variant.methodId).tiesPitchToSpeed) return ''
  const size = partFacts(source) ?? { frames: 1, sampleRate: 48_000 }
  const off = planOf(recipeOf(source, variant), size).pitchSemitones - pitchSemitones
  return Math.abs(off) < 0.01 ? '' : `pitch ${off > 0 ? '+' : '−'}${Math.abs(off).toFixed(1)} st off · `
}

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
  return (
    <HarmWords measurement={measurement} sampleRate={partFacts(source)?.sampleRate}>
      {off && <span className="text-trouble">{off}</span>}
    </HarmWords>
  )
}
