import { asOutput, MEASURE_VERSION, planOf, type Recipe, type Trial } from '../../../core'
import type { Sound } from '../../../engine'
import { contentKey, readTrial, type Source } from '../../../session'
import { analysisOf } from '../know/analyses'
import { readingKeyOf } from '../render/renders'
import { pool, trialRows } from '../state/engine'

/** Trying a recipe on the part of its result that tells most: for advice, sweeps and settings. Nothing is tried twice. */

const keyOf = (source: Source, recipe: Recipe, seconds: number) => contentKey(source, MEASURE_VERSION, recipe, seconds)

interface Trying {
  readonly signal: AbortSignal
  readonly rank: number
}

/**
 * @param seconds  how much of the result.
 * @throws what stopped it, or what the job failed with.
 */
export async function tryRecipe(
  source: Source,
  sound: Sound,
  recipe: Recipe,
  seconds: number,
  options: Trying,
): Promise<Trial> {
  const key = keyOf(source, recipe, seconds)
  // what cannot be read is tried again
  const kept = readTrial(await trialRows.get(key).catch(() => undefined))
  if (kept) return kept
  // attacks say which part tells most, and half of the methods need them anyway
  const attacks = await analysisOf(source, sound, {
    ...recipe,
    methodId: 'splice',
    settings: {},
    holdPercent: 1,
  })
  const analysis = { ...attacks, ...(await analysisOf(source, sound, recipe)) }
  options.signal.throwIfAborted()
  const trial = await pool.run<'measure'>(
    { kind: 'measure', sound, seconds, recipe, analysis, readingKey: readingKeyOf(source) },
    options,
  )
  trialRows.put(key, trial).catch(() => undefined)
  return trial
}

type Ending = { readonly status: 'done' | 'cancelled' } | { readonly status: 'failed'; readonly error: unknown }

/** Do work that tries many things, and show how it ended: whole, stopped, or failed, which stops what is left of it. */
export async function trying(stop: AbortController, show: (ending: Ending) => void, work: () => Promise<unknown>) {
  try {
    await work()
    show({ status: 'done' })
  } catch (error) {
    show(stop.signal.aborted ? { status: 'cancelled' } : { status: 'failed', error })
    stop.abort()
  }
}

/** Those that have been tried before. */
export async function triedBefore(
  source: Source,
  tries: readonly { readonly recipe: Recipe; readonly seconds: number }[],
): Promise<(Trial | undefined)[]> {
  const keys = tries.map(({ recipe, seconds }) => keyOf(source, recipe, seconds))
  const kept = await trialRows.getMany(keys).catch(() => keys.map(() => undefined))
  return kept.map(readTrial)
}

/** Which part of the source a trial was about, and how much louder it came out: what is needed to hear it. */
export function rangeOfTrial(recipe: Recipe, { span, measurement }: Trial, sound: Sound) {
  const { map } = planOf(recipe, sound)
  const level = measurement.artefacts.find(({ id }) => id === 'level')
  return {
    range: {
      start: Math.max(0, Math.round(map.sourceAt(asOutput(span.from)))),
      end: Math.round(map.sourceAt(asOutput(span.to))),
    },
    changeLu: level?.parts.changeLu ?? 0,
  }
}
