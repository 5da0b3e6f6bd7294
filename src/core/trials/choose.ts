import { ALL_NEEDS, type Analysis, analyseTask } from '../analysis/analysis'
import type { SoundSource } from '../audio/soundSource'
import { unjoined } from '../render/lanes'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import type { Task } from '../task'
import { rankTrials } from './advice'
import { type Contest, contestTask, type JoinedLanes, joinLanes } from './joinLanes'
import { type Looking, lookTask, partOfLooking } from './looks'
import { byEachMethod, type Chosen, leastHarm, type TriedRecipe, tryMethods } from './tryMethods'

/** results up to this length are held against each other place by place, s; of longer ones a part tells */
const MOST_JOINED_SECONDS = 60
/** methods that are looked at in full: those that did least harm at their first look */
const LOOKED_AT = 3
/** of one that is far ahead at its first look, another is looked at to tell the two apart */
const FAR_AHEAD_OF = 2
/** joined lanes have to do so much less harm than the best of them alone: a handover may be heard */
const WORTH_JOINING = 0.93
/** the share of the work at which lanes have been held against each other */
const HELD = 0.7

/** Whether lanes that are joined do clearly less harm than the best of them alone. */
export const isWorthJoining = (joined: number, alone: number) => joined < WORTH_JOINING * alone

/**
 * The one recipe for a sound. Methods that leave pitch and speed apart are tried on it and measured, place by place.
 * The one of least harm is taken, or several joined, where that does clearly less. One that changes nothing stays.
 * @param given  what is known of the source already.
 */
export function* chooseTask(source: SoundSource, asked: Recipe, given: Analysis): Task<Chosen> {
  const { choosing, known } = yield* choosingTask(source, asked, given)
  return yield* lookTask(choosing, source, known)
}

/** The same in two: what has to be known of the source first, and the looks that are asked for. */
export function* choosingTask(
  source: SoundSource,
  asked: Recipe,
  given: Analysis,
): Task<{ readonly choosing: Looking<Chosen>; readonly known: Analysis }> {
  const recipe = unjoined(asked)
  const { map, isSource } = planOf(recipe, source, given.attacks)
  if (isSource) return { choosing: leaveIt(recipe, given), known: given }
  const known = yield* analyseTask(source, ALL_NEEDS, given)
  if (map.outputFrames > MOST_JOINED_SECONDS * source.sampleRate)
    return { choosing: leastHarm(source, recipe, known), known }
  const contest = yield* contestTask(source, byEachMethod(recipe), known)
  return { choosing: chooseOf(source, contest), known }
}

// biome-ignore lint/correctness/useYield: there is nothing to look at
function* leaveIt(recipe: Recipe, known: Analysis): Looking<Chosen> {
  return { recipe, known, ranked: [] }
}

function* chooseOf(source: SoundSource, contest: Contest): Looking<Chosen> {
  const { lanes, known } = contest
  const held = yield* partOfLooking(joinLanes(contest), 0, HELD)
  const tried = rankTrials(yield* partOfLooking(triedOf(source, contest, held), HELD, 1))
  const joined = tried.find(({ recipe }) => recipe.joins)
  const alone = tried.filter((one) => one !== joined)
  const [single] = alone
  const isWorth = joined && single && isWorthJoining(joined.harm, single.harm)
  const ranked = isWorth ? [joined, ...alone] : joined ? [...alone, joined] : alone
  return { recipe: ranked[0]?.recipe ?? (lanes[0] as Recipe), known, ranked }
}

/** The joined lanes, and those that came nearest, in full. */
function* triedOf(source: SoundSource, { lanes, known }: Contest, held: JoinedLanes): Looking<TriedRecipe[]> {
  if (held.inFull.length > 0) {
    return held.inFull.map(({ lane, trial }) => {
      const recipe = lanes[lane] as Recipe
      return { methodId: recipe.methodId, recipe, trial }
    })
  }
  const order = [...lanes.keys()].sort((a, b) => (held.alone[a] as number) - (held.alone[b] as number))
  const near = order.slice(0, held.recipe.joins ? LOOKED_AT : FAR_AHEAD_OF).map((lane) => lanes[lane] as Recipe)
  return yield* tryMethods(source, held.recipe.joins ? [...near, held.recipe] : near, known)
}
