import type { Attack } from '../analysis/attacks'
import { type AudioBlock, frameCount } from '../audio/block'
import { semitonesToRatio } from '../dsp/units'
import type { Comparison } from '../measure/comparison'
import { methodById } from '../methods/registry'
import { planOf, type SoundSize } from '../render/openVoice'
import type { Recipe } from '../render/recipe'

/**
 * A result beside its source, by what its recipe meant to happen: where every moment lies, how high, and where the formants
 * are. What the method did is for the measures to find out.
 *
 * @param from  output frame at which `result` begins.
 * @throws {AppError} `map/…`, `pitch/…` for lines by hand that do not hold.
 */
export function comparisonOf(
  source: AudioBlock,
  result: AudioBlock,
  recipe: Recipe,
  attacks?: readonly Attack[],
  from = 0,
): Comparison {
  const { sampleRate } = source
  return {
    source,
    result,
    from,
    ...meantBy(recipe, { frames: frameCount(source), sampleRate }, attacks),
    ...(attacks && { attacks }),
  }
}

/** What a recipe means to happen to a source. */
export function meantBy(
  recipe: Recipe,
  size: SoundSize,
  attacks?: readonly Attack[],
): Pick<Comparison, 'map' | 'pitchRatioAt' | 'formantRatioAt'> {
  const { map, pitch } = planOf(recipe, size, attacks)
  const pitchRatioAt = methodById(recipe.methodId).tiesPitchToSpeed ? map.speedAt : pitch.ratioAt
  const shifted = semitonesToRatio(recipe.formantSemitones ?? 0)
  return {
    map,
    pitchRatioAt,
    formantRatioAt: recipe.formants === 'move' ? pitchRatioAt : () => (recipe.formants === 'shift' ? shifted : 1),
  }
}
