import { type HandOrder, methodById, type Shaping } from '../../../core'
import { playedRecipe, type Source } from '../../../session'
import { store } from '../state/store'
import { heardVariant } from './picks'

/** How a source sounds under the hand: by its own method where that can be led, else in short windows of drift. */
export function handOrderOf(source: Source): { readonly order: HandOrder; readonly shaping: Shaping } {
  const { jitterMs, spreadMs, windowMs } = store.getState().outlook.hand
  const recipe = playedRecipe(source, heardVariant(store.getState(), source))
  const own = methodById(recipe.methodId)
  const isOwn = own.ledByHand === true && own.id !== 'drift'
  return {
    order: {
      methodId: isOwn ? own.id : 'drift',
      settings: isOwn ? recipe.settings : { windowMs, clarity: 0 },
      semitones: recipe.pitchSemitones,
      jitterMs,
      spreadMs,
      seed: recipe.seed,
    },
    shaping: {
      ...(recipe.prepare && { prepare: recipe.prepare }),
      ...(recipe.filter && { filter: { ...recipe.filter, at: 'before' as const } }),
    },
  }
}
