import { ALL_NEEDS, type Analysis, analyseTask } from '../analysis/analysis'
import type { SoundSource } from '../audio/soundSource'
import { methods } from '../methods/registry'
import { unjoined } from '../render/lanes'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import { partOf, type Task } from '../task'
import type { Ranked } from './advice'
import { joinLanesTask } from './joinLanes'
import { type TriedRecipe, tryMethodsTask } from './tryMethods'

/** results up to this length are held against each other place by place, s; of longer ones a part tells */
const MOST_JOINED_SECONDS = 60
/** methods that are looked at in full: those that did least harm at their first look */
const LOOKED_AT = 3
/** joined lanes have to do so much less harm than the best of them alone: a handover may be heard */
const WORTH_JOINING = 0.93

/** One recipe chosen by measuring, and what it was chosen from. Plain data. */
export interface Chosen {
  readonly recipe: Recipe
  /** what was found out on the way */
  readonly known: Analysis
  /** those that were looked at in full, least harm first; the first is what was chosen */
  readonly ranked: readonly (Ranked & TriedRecipe)[]
}

/**
 * The one recipe for a sound: methods that leave pitch and speed apart are tried on it and measured, place by place; the
 * one of least harm is taken, or several joined, where that does clearly less. One that changes nothing stays as it is.
 * @param known  what is known of the source already.
 */
export function* chooseTask(source: SoundSource, asked: Recipe, known: Analysis): Task<Chosen> {
  const recipe = unjoined(asked)
  if (planOf(recipe, source, known.attacks).isSource) return { recipe, known, ranked: [] }
  const all = yield* analyseTask(source, ALL_NEEDS, known)
  const candidates = methods.filter(({ tiesPitchToSpeed }) => !tiesPitchToSpeed)
  const lanes = candidates.map(({ id }) => unjoined(recipe, id))
  const { outputFrames } = planOf(recipe, source, all.attacks).map
  if (outputFrames > MOST_JOINED_SECONDS * source.sampleRate) {
    const ranked = yield* tryMethodsTask(source, lanes, all)
    return { recipe: { ...recipe, methodId: ranked[0]?.methodId ?? recipe.methodId }, known: all, ranked }
  }
  const held = yield* partOf(joinLanesTask(source, lanes, all), 0, 2)
  const order = [...lanes.keys()].sort((a, b) => (held.alone[a] as number) - (held.alone[b] as number))
  const near = order.slice(0, LOOKED_AT).map((lane) => lanes[lane] as Recipe)
  const joined = held.recipe.joins ? [held.recipe] : []
  const ranked = yield* partOf(tryMethodsTask(source, [...near, ...joined], all), 1, 2)
  const single = ranked.find(({ recipe: { joins } }) => !joins)
  const first = ranked[0]
  const best = first?.recipe.joins && single && first.harm > WORTH_JOINING * single.harm ? single : first
  return {
    recipe: best?.recipe ?? recipe,
    known: all,
    ranked: best ? [best, ...ranked.filter((one) => one !== best)] : ranked,
  }
}
