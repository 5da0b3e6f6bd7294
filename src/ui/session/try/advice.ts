import { methods, type Recipe } from '../../../core'
import { contentKey, newVariant, recipeOf, type Source } from '../../../session'
import { heardSound } from '../hear/listening'
import { type AdviceState, store } from '../state/store'
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

export function cancelAdvice(sourceId: string) {
  const stop = running.get(sourceId)
  if (!stop) return
  stop.abort()
  const state = getState().advice[sourceId]
  if (state?.status === 'running')
    setState((all) => ({ advice: { ...all.advice, [sourceId]: { ...state, status: 'cancelled' } } }))
  running.delete(sourceId)
}
