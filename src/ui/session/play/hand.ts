import { methodById } from '../../../core'
import { contentKey, playedRecipe, type Source } from '../../../session'
import { playback } from '../hear/listening'
import { store } from '../state/store'
import { heardVariant } from './picks'

/** The hand on the strip: a place that is held, moved, and let go. Frames of the source. */

let holding = false

export const isHolding = () => holding

/** How a source sounds under the hand: by its own method where that can be led, else in short windows of drift. */
function orderOf(source: Source) {
  const { jitterMs, windowMs } = store.getState().outlook.hand
  const recipe = playedRecipe(source, heardVariant(store.getState(), source))
  const own = methodById(recipe.methodId)
  const isOwn = own.ledByHand === true && own.id !== 'drift'
  return {
    order: {
      methodId: isOwn ? own.id : 'drift',
      settings: isOwn ? recipe.settings : { windowMs, clarity: 0 },
      semitones: recipe.pitchSemitones,
      jitterMs,
      seed: recipe.seed,
    },
    shaping: {
      ...(recipe.prepare && { prepare: recipe.prepare }),
      ...(recipe.filter && { filter: { ...recipe.filter, at: 'before' as const } }),
    },
  }
}

export function holdPlace(source: Source, place: number) {
  holding = true
  const { speed } = store.getState().outlook.hand
  playback.leadByHand({ kind: 'hold', sound: contentKey(source), ...orderOf(source), gain: 1, place, speed })
}

export function movePlace(place: number) {
  if (holding) playback.leadByHand({ kind: 'move', place, speed: store.getState().outlook.hand.speed })
}

export function letPlaceGo() {
  if (!holding) return
  holding = false
  playback.leadByHand({ kind: 'let go' })
}
