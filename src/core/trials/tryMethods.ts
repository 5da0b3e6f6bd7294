import { ALL_NEEDS, type Analysis, analyseTask } from '../analysis/analysis'
import type { SoundSource } from '../audio/soundSource'
import { freeMethods } from '../methods/registry'
import { unjoined } from '../render/lanes'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import { partOf, type Task } from '../task'
import { type Ranked, rankTrials, type Tried } from './advice'
import { tellingSpan, traitsOf } from './excerpt'
import { trialTask } from './trial'

/** so much of a result is tried, s */
const TRIED_SECONDS = 8

export interface TriedRecipe extends Tried {
  readonly recipe: Recipe
}

/**
 * Recipes tried on the part of the result that tells most, and measured.
 * @param recipes  one for each method.
 * @param known  attacks and pitch of the source.
 * @returns them by what they did to this sound, least harm first.
 */
export function* tryMethodsTask(
  source: SoundSource,
  recipes: readonly Recipe[],
  known: Analysis,
): Task<(Ranked & TriedRecipe)[]> {
  const attacks = (known.attacks ?? []).map(({ frame }) => frame)
  const traits = traitsOf(source)
  const tried: TriedRecipe[] = []
  for (const [n, recipe] of recipes.entries()) {
    const span = tellingSpan(source, planOf(recipe, source, known.attacks).map, attacks, TRIED_SECONDS, () => traits)
    const trial = yield* partOf(trialTask(source, recipe, span, known), n / recipes.length, (n + 1) / recipes.length)
    tried.push({ methodId: recipe.methodId, recipe, trial })
  }
  return rankTrials(tried)
}

/** One recipe chosen by measuring, and what it was chosen from. Plain data. */
export interface Chosen {
  readonly recipe: Recipe
  /** what was found out on the way */
  readonly known: Analysis
  /** those that were tried, least harm first */
  readonly ranked: readonly (Ranked & TriedRecipe)[]
}

/** A recipe by each method that leaves pitch and speed apart. */
export const byEachMethod = (recipe: Recipe): Recipe[] => freeMethods.map(({ id }) => unjoined(recipe, id))

/**
 * The recipe by the method that does least harm to this sound, of those that leave pitch and speed apart. One that
 * changes nothing stays as it is.
 * @param known  what is known of the source already.
 * @returns what was found out on the way along with it, and all that were tried, least harm first.
 */
export function* leastHarmTask(source: SoundSource, recipe: Recipe, known: Analysis): Task<Chosen> {
  if (planOf(recipe, source, known.attacks).isSource) return { recipe, known, ranked: [] }
  const all = yield* analyseTask(source, ALL_NEEDS, known)
  const ranked = yield* tryMethodsTask(source, byEachMethod(recipe), all)
  return { recipe: { ...recipe, methodId: ranked[0]?.methodId ?? recipe.methodId }, known: all, ranked }
}
