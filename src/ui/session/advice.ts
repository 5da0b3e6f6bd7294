import { methods, type Recipe, type Trial } from '../../core'
import { analysisOf } from './analyses'
import { pool, trialRows } from './engine'
import { heardSound } from './listening'
import { newVariant, recipeOf, type Source, soundKey } from './model'
import { readingKeyOf } from './renders'
import { type AdviceState, store } from './store'

/** Advice that comes from measuring: every method is tried on a telling part of the source, for this target. */

const { getState, setState } = store
const running = new Map<string, AbortController>()

/** how much of the result is tried */
const TRIED_SECONDS = 8

/** What advice is for. A changed target makes it old. */
export const adviceKey = (source: Source) =>
  `${soundKey(source)} ${JSON.stringify(source.target)} ${JSON.stringify(source.hand.attacks ?? null)}`

/** Methods that can do what is asked: one that ties pitch to speed only where that is wanted. */
const candidates = (source: Source) =>
  methods.filter((method) => !method.tiesPitchToSpeed || source.target.tied).map((method) => method.id)

const recipeFor = (source: Source, methodId: string): Recipe => recipeOf(source, newVariant('', 'A', methodId))

export async function seekAdvice(source: Source) {
  const sound = heardSound(source)
  if (!sound) return
  cancelAdvice(source.id)
  const stop = new AbortController()
  running.set(source.id, stop)
  const { audio } = sound.decoded
  const methodIds = candidates(source)
  const key = adviceKey(source)
  let state: AdviceState = { key, status: 'running', methodIds, tried: [] }
  const show = (part: Partial<AdviceState>) => {
    state = { ...state, ...part }
    if (running.get(source.id) === stop) setState((all) => ({ advice: { ...all.advice, [source.id]: state } }))
  }
  show({})
  try {
    // attacks say which part tells most, and half of the methods need them anyway
    const known = await analysisOf(source, audio, { ...recipeFor(source, 'splice'), holdPercent: 1 })
    const readingKey = readingKeyOf(source)
    await Promise.all(
      methodIds.map(async (methodId) => {
        const recipe = recipeFor(source, methodId)
        const place = `${readingKey} ${JSON.stringify(recipe)} ${TRIED_SECONDS} s`
        let trial = (await trialRows.get(place).catch(() => undefined)) as Trial | undefined
        if (!trial) {
          const analysis = { ...known, ...(await analysisOf(source, audio, recipe)) }
          trial = await pool.run<'measure'>(
            { kind: 'measure', audio, seconds: TRIED_SECONDS, recipe, analysis, readingKey },
            { signal: stop.signal, rank: 2 },
          )
          trialRows.put(place, trial).catch(() => undefined)
        }
        show({ tried: [...state.tried, { methodId, trial }] })
      }),
    )
    show({ status: 'done' })
  } catch (error) {
    if (stop.signal.aborted) show({ status: 'cancelled' })
    else show({ status: 'failed', error })
    stop.abort()
  } finally {
    if (running.get(source.id) === stop) running.delete(source.id)
  }
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
