import { methodById, planOf, type Recipe, type SoundSize } from '../core'

/** what carries a source, or a tape, at another speed and its own pitch */
const CARRIER = 'wsola'

/**
 * A recipe as it is heard at a listening speed, at its pitch: nothing of the session changes. Without a recipe, the
 * source. A tape would go higher as it goes faster: what it comes to is carried by another method.
 */
export function recipeHeardAt(recipe: Recipe | undefined, speed: number, size: SoundSize): Recipe | undefined {
  if (speed === 1) return recipe
  if (!recipe)
    return {
      version: 1,
      stretch: 1 / speed,
      pitchSemitones: 0,
      formants: 'move',
      methodId: CARRIER,
      settings: {},
      seed: 1,
    }
  if (!methodById(recipe.methodId).tiesPitchToSpeed) return { ...recipe, stretch: recipe.stretch / speed }
  const plan = planOf(recipe, size)
  return {
    ...recipe,
    methodId: CARRIER,
    settings: {},
    stretch: plan.stretch / speed,
    pitchSemitones: plan.pitchSemitones,
  }
}
