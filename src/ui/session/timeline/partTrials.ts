import { type Recipe, ratioToSemitones, type Trial } from '../../../core'
import type { Sound } from '../../../engine'
import { partRecipe, type Source, type TimelinePart, variantOf } from '../../../session'
import { store } from '../state/store'
import { tryRecipe } from '../try/trying'
import { openedFor } from './mixing'

/** What was measured of parts as they lie: at the stretch that the timeline gives them. Kept by content, tried once. */

const { getState, setState } = store
const TRIED_SECONDS = 6
let running: { readonly key: string; readonly stop: AbortController } | undefined

/** The recipe of a part at the mean stretch at which it is heard. */
export function heardRecipe(source: Source, part: TimelinePart, stretch: number): Recipe {
  const recipe = partRecipe(source, part)
  // what changes little is tried once
  const rounded = Math.min(1000, Math.max(0.1, 2 ** (Math.round(ratioToSemitones(stretch) * 4) / 48)))
  return { ...recipe, stretch: rounded }
}

export const partTrialKey = (source: Source, part: TimelinePart, stretch: number) =>
  JSON.stringify([source.id, source.range, heardRecipe(source, part, stretch), variantOf(source, part)?.id])

/** What was measured of a part as it lies; it is measured where it was not. @throws what stopped it. */
export async function trialOf(
  source: Source,
  part: TimelinePart,
  stretch: number,
  sound: Sound,
  options: { readonly signal: AbortSignal; readonly rank: number },
): Promise<Trial> {
  const key = partTrialKey(source, part, stretch)
  const known = getState().partTrials[key]
  if (known) return known
  const trial = await tryRecipe(source, sound, heardRecipe(source, part, stretch), TRIED_SECONDS, options)
  setState((state) => ({ partTrials: { ...state.partTrials, [key]: trial } }))
  return trial
}

/** Measure a part as it lies, unless that is known or under way. */
export async function tryPart(source: Source, part: TimelinePart, stretch: number) {
  const key = partTrialKey(source, part, stretch)
  const sound = openedFor(source)
  if (!sound || getState().partTrials[key] || running?.key === key) return
  running?.stop.abort()
  const stop = new AbortController()
  running = { key, stop }
  try {
    await trialOf(source, part, stretch, sound, { signal: stop.signal, rank: 4 })
  } catch {
    // another part is looked at by now, or it cannot be measured: the figure stays away
  } finally {
    if (running?.stop === stop) running = undefined
  }
}
