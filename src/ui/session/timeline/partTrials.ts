import { type Recipe, ratioToSemitones, type Trial } from '../../../core'
import { partRecipe, type Source, type TimelinePart, variantOf } from '../../../session'
import { store } from '../state/store'
import { tryRecipe } from '../try/trying'
import { openedFor } from './mixing'

/** What was measured of parts as they lie: at the stretch that the timeline gives them. Kept by content, tried once. */

const { getState, setState } = store
const TRIED_SECONDS = 6
let running: { readonly key: string; readonly stop: AbortController } | undefined

/** The recipe of a part at the mean stretch at which it is heard. */
function heardRecipe(source: Source, part: TimelinePart, stretch: number): Recipe {
  const recipe = partRecipe(source, part)
  // what changes little is tried once
  const rounded = Math.min(1000, Math.max(0.1, 2 ** (Math.round(ratioToSemitones(stretch) * 4) / 48)))
  return { ...recipe, stretch: rounded }
}

export const partTrialKey = (source: Source, part: TimelinePart, stretch: number) =>
  JSON.stringify([source.id, source.range, heardRecipe(source, part, stretch), variantOf(source, part)?.id])

/** Measure a part as it lies, unless that is known or under way. */
export async function tryPart(source: Source, part: TimelinePart, stretch: number) {
  const key = partTrialKey(source, part, stretch)
  const sound = openedFor(source)
  if (!sound || getState().partTrials[key] || running?.key === key) return
  running?.stop.abort()
  const stop = new AbortController()
  running = { key, stop }
  try {
    const recipe = heardRecipe(source, part, stretch)
    const trial = await tryRecipe(source, sound, recipe, TRIED_SECONDS, { signal: stop.signal, rank: 4 })
    setState((state) => ({ partTrials: { ...state.partTrials, [key]: trial satisfies Trial } }))
  } catch {
    // another part is looked at by now, or it cannot be measured: the figure stays away
  } finally {
    if (running?.stop === stop) running = undefined
  }
}
