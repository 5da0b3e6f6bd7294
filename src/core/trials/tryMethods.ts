import { ALL_NEEDS, type Analysis, analyseTask } from '../analysis/analysis'
import type { SoundSource } from '../audio/soundSource'
import { freeMethods } from '../methods/registry'
import { unjoined } from '../render/lanes'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import type { Task } from '../task'
import { type Ranked, rankTrials, type Tried } from './advice'
import { tellingSpan, traitsOf } from './excerpt'
import { type Look, type Looking, lookTask } from './looks'
import type { Trial } from './trial'

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
  return yield* lookTask(tryMethods(source, recipes, known), source, known)
}

/** The same as looks that are asked for. */
export function* tryMethods(
  source: SoundSource,
  recipes: readonly Recipe[],
  known: Analysis,
): Looking<(Ranked & TriedRecipe)[]> {
  const attacks = (known.attacks ?? []).map(({ frame }) => frame)
  const traits = traitsOf(source)
  const looks = recipes.map((recipe): Look => {
    const { map } = planOf(recipe, source, known.attacks)
    return { recipe, span: tellingSpan(source, map, attacks, TRIED_SECONDS, () => traits), brief: false }
  })
  const trials = yield { looks, from: 0, to: 1 }
  return rankTrials(
    recipes.map((recipe, n): TriedRecipe => ({ methodId: recipe.methodId, recipe, trial: trials[n] as Trial })),
  )
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
 * @param given  what is known of the source already.
 * @returns what was found out on the way along with it, and all that were tried, least harm first.
 */
export function* leastHarmTask(source: SoundSource, recipe: Recipe, given: Analysis): Task<Chosen> {
  if (planOf(recipe, source, given.attacks).isSource) return { recipe, known: given, ranked: [] }
  const known = yield* analyseTask(source, ALL_NEEDS, given)
  return yield* lookTask(leastHarm(source, recipe, known), source, known)
}

/** The same as looks that are asked for, of a recipe that changes something. */
export function* leastHarm(source: SoundSource, recipe: Recipe, known: Analysis): Looking<Chosen> {
  const ranked = yield* tryMethods(source, byEachMethod(recipe), known)
  return { recipe: { ...recipe, methodId: ranked[0]?.methodId ?? recipe.methodId }, known, ranked }
}
