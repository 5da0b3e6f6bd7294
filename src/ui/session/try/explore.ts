import { methodById, type Recipe, valuesOver } from '../../../core'
import { contentKey, recipeOf, type Source, type Variant } from '../../../session'
import { heardSound } from '../hear/listening'
import { smallPicture } from '../render/spectra'
import { type ExploredState, type ExploredTry, store } from '../state/store'
import { trying, tryRecipe } from './trying'

/** One setting of a variant over its range: every value tried on the part that tells most, drawn small, measured. */

const { getState, setState } = store
const running = new Map<string, AbortController>()

const TRIED_SECONDS = 5

/** What an exploration holds for: everything of the recipe but the setting that is explored. */
export function exploredKey(source: Source, variant: Variant, name: string): string {
  const recipe = recipeOf(source, variant)
  const { [name]: _, ...others } = recipe.settings
  return contentKey(source, name, { ...recipe, settings: others })
}

/** @param now  the value that the variant has. */
export async function exploreSetting(source: Source, variant: Variant, name: string, now: number | string) {
  const setting = methodById(variant.methodId).settings[name]
  const sound = heardSound(source)
  if (!setting || !sound) return
  stopExploring(variant.id)
  const stop = new AbortController()
  running.set(variant.id, stop)
  const base = recipeOf(source, variant)
  const tries: ExploredTry[] = valuesOver(setting, now).map((value) => ({
    value,
    recipe: withSetting(base, name, value),
  }))
  let state: ExploredState = { key: exploredKey(source, variant, name), name, status: 'running', tries }
  const show = (part: Partial<ExploredState>) => {
    state = { ...state, ...part }
    if (running.get(variant.id) === stop) setState((all) => ({ explored: { ...all.explored, [variant.id]: state } }))
  }
  const showTry = (n: number, part: Partial<ExploredTry>) =>
    show({ tries: state.tries.map((one, i) => (i === n ? { ...one, ...part } : one)) })
  show({})
  await trying(stop, show, () =>
    Promise.all(
      tries.map(async ({ recipe }, n) => {
        const trial = await tryRecipe(source, sound.decoded.sound, recipe, TRIED_SECONDS, {
          signal: stop.signal,
          rank: 2,
        })
        showTry(n, { trial })
        const picture = await smallPicture(source, recipe, trial.span, stop.signal)
        if (picture) showTry(n, { picture })
      }),
    ),
  )
  if (running.get(variant.id) === stop) running.delete(variant.id)
}

const withSetting = (recipe: Recipe, name: string, value: number | string): Recipe => ({
  ...recipe,
  settings: { ...recipe.settings, [name]: value },
})

export function stopExploring(variantId: string) {
  const stop = running.get(variantId)
  if (!stop) return
  stop.abort()
  running.delete(variantId)
  const state = getState().explored[variantId]
  if (state?.status === 'running')
    setState((all) => ({ explored: { ...all.explored, [variantId]: { ...state, status: 'cancelled' } } }))
}
