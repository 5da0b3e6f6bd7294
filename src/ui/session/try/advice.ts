import {
  harmOf,
  isWorthJoining,
  type Measurement,
  methodById,
  methods,
  methodText,
  type Ranked,
  type Recipe,
  rankTrials,
  reasonOf,
} from '../../../core'
import type { Sound } from '../../../engine'
import { contentKey, MAX_VARIANTS, newVariant, recipeOf, runsIn, type Source } from '../../../session'
import { addVariant } from '../acts'
import { heardSound, hearLane } from '../hear/listening'
import { heldAgainst, placeRuns } from '../joins'
import { notify, tell } from '../state/notices'
import { type AdviceState, type JoinedTried, store } from '../state/store'
import { trying, tryRecipe } from './trying'

/** Advice that comes from measuring: every method is tried on a telling part of the source, for this target. */

const { getState, setState } = store
const running = new Map<string, AbortController>()

/** how much of the result is tried */
const TRIED_SECONDS = 8

/** What advice is for. A changed target makes it old. */
export const adviceKey = (source: Source) => contentKey(source, source.target)

/** Methods that can do what is asked: one that ties pitch to speed only where that is wanted. */
const candidates = (source: Source) =>
  methods.filter((method) => !method.tiesPitchToSpeed || source.target.tied).map((method) => method.id)

const recipeFor = (source: Source, methodId: string): Recipe => recipeOf(source, newVariant('', 'A', methodId))

export async function seekAdvice(source: Source) {
  const loaded = heardSound(source)
  if (!loaded) return
  const { sound } = loaded.decoded
  cancelAdvice(source.id)
  const stop = new AbortController()
  running.set(source.id, stop)
  const methodIds = candidates(source)
  const key = adviceKey(source)
  let state: AdviceState = { key, status: 'running', methodIds, tried: [] }
  const show = (part: Partial<AdviceState>) => {
    state = { ...state, ...part }
    if (running.get(source.id) === stop) setState((all) => ({ advice: { ...all.advice, [source.id]: state } }))
  }
  show({})
  await trying(stop, show, () =>
    Promise.all(
      methodIds.map(async (methodId) => {
        const trial = await tryRecipe(source, sound, recipeFor(source, methodId), TRIED_SECONDS, {
          signal: stop.signal,
          rank: 2,
        })
        show({ tried: [...state.tried, { methodId, trial }] })
      }),
    ),
  )
  if (running.get(source.id) === stop) running.delete(source.id)
}

/**
 * Measure all methods, unless that was done for this target, and hear the one that does least harm: in the lane that it
 * has, else in a new one. The reason is told.
 */
export async function letChoose(source: Source) {
  const key = adviceKey(source)
  const known = getState().advice[source.id]
  if (known?.key !== key || known.status !== 'done') await seekAdvice(source)
  const { advice, history, outlook } = getState()
  const now = history.present.sources.find(({ id }) => id === source.id)
  const found = advice[source.id]
  // who went elsewhere, or changed the target meanwhile, is not called back
  if (!now || found?.status !== 'done' || found.key !== adviceKey(now) || outlook.selectedId !== now.id) return
  const ranked = rankTrials(found.tried)
  const [best, next] = ranked
  if (!best) return
  const joined = found.joined ? found.joined.best : await joinedBest(now, key, ranked)
  // the target may have changed meanwhile
  const still = getState().history.present.sources.find(({ id }) => id === now.id)
  if (!still || adviceKey(still) !== key || getState().outlook.selectedId !== now.id) return
  const laneLike = (recipe: Recipe) => {
    const text = JSON.stringify(recipe)
    return still.variants.findIndex((variant) => JSON.stringify(recipeOf(still, variant)) === text)
  }
  const there = joined ? laneLike(joined.recipe) : -1
  if (joined && (there >= 0 || still.variants.length < MAX_VARIANTS)) {
    if (there >= 0) hearLane(there + 1)
    else placeRuns(still, runsIn(still, joined.recipe))
    notify({
      tone: 'plain',
      text: `${methodText(joined.recipe)}, joined: ${reasonOf(joined.measurement, best.trial.measurement)}`,
    })
    return
  }
  const lane = laneLike(recipeFor(still, best.methodId))
  if (lane >= 0) hearLane(lane + 1)
  else if (still.variants.length < MAX_VARIANTS) addVariant(still, best.methodId)
  const { label } = methodById(best.methodId)
  notify({ tone: 'plain', text: `${label}: ${reasonOf(best.trial.measurement, next?.trial.measurement)}` })
}

/** methods that may be joined: no more than so many, none that did so many times the least harm */
const MAY_JOIN = 5
const TOO_MUCH_HARM = 4

/** The best methods joined, where that does clearly less harm than the best of them alone. What came of it is kept. */
async function joinedBest(source: Source, key: string, ranked: readonly Ranked[]): Promise<JoinedTried | undefined> {
  const sound = heardSound(source)?.decoded.sound
  const [best] = ranked
  if (!sound || !best) return undefined
  const near = ranked.filter(
    ({ methodId, harm }) => !methodById(methodId).tiesPitchToSpeed && harm <= TOO_MUCH_HARM * best.harm,
  )
  if (near.length < 2) return undefined
  const recipes = near.slice(0, MAY_JOIN).map(({ methodId }) => recipeFor(source, methodId))
  const held = await heldAgainst(source.id, 'Joining lanes', source, sound, recipes)
  if (!held) return undefined
  const measurement = held.recipe.joins && (await measured(source, sound, held.recipe))
  // what could not be measured is asked for again
  if (held.recipe.joins && !measurement) return undefined
  const isWorth = measurement && isWorthJoining(harmOf(measurement), best.harm)
  const joined = { best: isWorth ? { recipe: held.recipe, measurement } : undefined }
  const now = getState().advice[source.id]
  if (now?.key === key) setState((all) => ({ advice: { ...all.advice, [source.id]: { ...now, joined } } }))
  return joined.best
}

async function measured(source: Source, sound: Sound, recipe: Recipe): Promise<Measurement | undefined> {
  const { signal } = new AbortController()
  const trial = await tryRecipe(source, sound, recipe, TRIED_SECONDS, { signal, rank: 2 }).catch(tell)
  return trial?.measurement
}

export function cancelAdvice(sourceId: string) {
  const stop = running.get(sourceId)
  if (!stop) return
  stop.abort()
  const state = getState().advice[sourceId]
  if (state?.status === 'running')
    setState((all) => ({ advice: { ...all.advice, [sourceId]: { ...state, status: 'cancelled' } } }))
  running.delete(sourceId)
}
