import { ALL_NEEDS, type Analysis, analyseTask } from '../analysis/analysis'
import type { SoundSource } from '../audio/soundSource'
import { unjoined } from '../render/lanes'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import { partOf, type Task } from '../task'
import { joinLanesTask } from './joinLanes'
import { byEachMethod, type Chosen, leastHarmTask, tryMethodsTask } from './tryMethods'

/** results up to this length are held against each other place by place, s; of longer ones a part tells */
const MOST_JOINED_SECONDS = 60
/** methods that are looked at in full: those that did least harm at their first look */
const LOOKED_AT = 3
/** joined lanes have to do so much less harm than the best of them alone: a handover may be heard */
const WORTH_JOINING = 0.93

/** Whether lanes that are joined do clearly less harm than the best of them alone. */
export const isWorthJoining = (joined: number, alone: number) => joined < WORTH_JOINING * alone

/**
 * The one recipe for a sound. Methods that leave pitch and speed apart are tried on it and measured, place by place.
 * The one of least harm is taken, or several joined, where that does clearly less. One that changes nothing stays.
 * @param known  what is known of the source already.
 */
export function* chooseTask(source: SoundSource, asked: Recipe, known: Analysis): Task<Chosen> {
  const recipe = unjoined(asked)
  const { map, isSource } = planOf(recipe, source, known.attacks)
  if (isSource || map.outputFrames > MOST_JOINED_SECONDS * source.sampleRate)
    return yield* leastHarmTask(source, recipe, known)
  const all = yield* analyseTask(source, ALL_NEEDS, known)
  const lanes = byEachMethod(recipe)
  const held = yield* partOf(joinLanesTask(source, lanes, all), 0, 0.5)
  const order = [...lanes.keys()].sort((a, b) => (held.alone[a] as number) - (held.alone[b] as number))
  const near = order.slice(0, LOOKED_AT).map((lane) => lanes[lane] as Recipe)
  const tried = held.recipe.joins ? [...near, held.recipe] : near
  const allRanked = yield* partOf(tryMethodsTask(source, tried, all), 0.5, 1)
  const joined = allRanked.find((one) => one.recipe.joins)
  const singles = allRanked.filter((one) => one !== joined)
  const [single] = singles
  const isWorth = joined && single && isWorthJoining(joined.harm, single.harm)
  const ranked = isWorth ? [joined, ...singles] : joined ? [...singles, joined] : singles
  return { recipe: ranked[0]?.recipe ?? recipe, known: all, ranked }
}
