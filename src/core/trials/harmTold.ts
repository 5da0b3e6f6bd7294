import type { Analysis } from '../analysis/analysis'
import { analyseTask } from '../analysis/analysis'
import type { SoundSource } from '../audio/soundSource'
import { artefactKind } from '../measure/artefacts'
import { heardPlacesOf, worstOf } from '../measure/grading'
import { figureOf, verdictOf } from '../measure/verdict'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import type { Task } from '../task'
import { tellingSpan } from './excerpt'
import { trialTask } from './trial'

/** The kind of harm that stands out most in a result, and all that is heard, in words. Plain data. */
export interface HarmTold {
  readonly verdict: string
  readonly worst?: string
  readonly figure?: string
  /** 1 where it begins to be heard, 3 where it is severe */
  readonly severity?: number
  /** s of the source */
  readonly atSeconds?: number
}

/** so much of a result is measured, s: all of most, the part that tells most of a long one */
const MEASURED_SECONDS = 20

/** What a recipe did to a sound, measured on the part of the result that tells most. */
export function* harmTask(source: SoundSource, recipe: Recipe, known: Analysis): Task<HarmTold> {
  const { attacks } = known.attacks ? known : yield* analyseTask(source, ['attacks'])
  const { map } = planOf(recipe, source, attacks)
  const frames = (attacks ?? []).map(({ frame }) => frame)
  const span = tellingSpan(source, map, frames, MEASURED_SECONDS)
  const { measurement } = yield* trialTask(source, recipe, span, { ...known, attacks: attacks ?? [] })
  const worst = worstOf(measurement)
  const place = worst && heardPlacesOf(worst.artefact).sort((a, b) => b.value - a.value)[0]
  return {
    verdict: verdictOf(measurement, source.sampleRate),
    ...(worst && {
      worst: artefactKind(worst.artefact.id).label,
      figure: figureOf(worst.artefact),
      severity: Number(worst.severity.toFixed(3)),
    }),
    ...(place && { atSeconds: Number((place.sourceFrame / source.sampleRate).toFixed(3)) }),
  }
}
