import { type Instrument, planOf, type Recipe, type SoundSize } from '../core'
import { asOutput, asSource } from '../core/timeline/axes'
import type { TimeMap } from '../core/timeline/timeMap'
import type { Keys, PickMark } from './playSchema'
import { partFacts, partStart, recipeOf } from './recipe'
import type { Source } from './schema'

/** What a pick, or what lies over the keys, comes to: an instrument of a source. */

/** the root of a pad: it is struck at its own pitch */
export const PAD_KEY = 60

const PLAIN: Recipe = {
  version: 1,
  stretch: 1,
  pitchSemitones: 0,
  formants: 'move',
  methodId: 'vocoder',
  settings: {},
  seed: 1,
}

/** the same recipe as long as a source is the same: what follows from it is found once */
const ownRecipes = new WeakMap<Source, Recipe>()

/** The recipe of one of a source's variants, by its id or letter; of the source itself where there is none. */
export function playedRecipe(source: Source, variant: string | undefined): Recipe {
  const own = source.variants.find(({ id, letter }) => id === variant || letter === variant)
  if (own) return recipeOf(source, own)
  const known = ownRecipes.get(source)
  if (known) return known
  const made = ownRecipe(source)
  ownRecipes.set(source, made)
  return made
}

/** The source as it is, turned by the method of its first lane. */
function ownRecipe(source: Source): Recipe {
  const { methodId, settings } = source.variants[0] ?? { methodId: PLAIN.methodId, settings: {} as never }
  return { ...PLAIN, methodId, settings: settings[methodId] ?? {}, formants: source.target.formants }
}

/** Where a pick lies in its result, s; undefined while the source's length is not known. */
export function pickSpan(
  source: Source,
  pick: Pick<PickMark, 'variant' | 'from' | 'to'>,
): { from: number; to: number } | undefined {
  return spanIn(source, playedRecipe(source, pick.variant), pick)
}

function spanIn(source: Source, recipe: Recipe, pick: Pick<PickMark, 'from' | 'to'>) {
  const facts = partFacts(source)
  if (!facts) return undefined
  const map = mapOf(recipe, facts)
  const start = partStart(source)
  const at = (seconds: number) =>
    map.outputAt(asSource(Math.max(0, Math.min(facts.frames, (seconds - start) * facts.sampleRate)))) / facts.sampleRate
  return { from: at(pick.from), to: at(pick.to) }
}

/** The moment of the file that a moment of a result is made of, s. */
export function fileSecondsAt(source: Source, variant: string | undefined, resultSeconds: number): number {
  const facts = partFacts(source)
  if (!facts) return 0
  const map = mapOf(playedRecipe(source, variant), facts)
  return partStart(source) + map.sourceAt(asOutput(resultSeconds * facts.sampleRate)) / facts.sampleRate
}

const maps = new WeakMap<Recipe, { readonly frames: number; readonly map: TimeMap }>()

/** Where a recipe puts a source of this size; found once. */
function mapOf(recipe: Recipe, size: SoundSize): TimeMap {
  const known = maps.get(recipe)
  if (known?.frames === size.frames) return known.map
  const { map } = planOf(recipe, size)
  maps.set(recipe, { frames: size.frames, map })
  return map
}

/** A pick as an instrument of its own: a pad strikes it at `PAD_KEY`. */
export function padInstrument(source: Source, pick: PickMark): Instrument | undefined {
  const span = pickSpan(source, pick)
  if (!span) return undefined
  const { id, play, attackMs, releaseMs, gainDb, pan, reverse, group, semitones } = pick
  return {
    id,
    recipe: playedRecipe(source, pick.variant),
    ...span,
    root: PAD_KEY - semitones,
    only: PAD_KEY,
    length: 'keep',
    play,
    attackMs,
    releaseMs,
    // struck again it begins again
    voices: 4,
    glideMs: 0,
    gainDb,
    pan,
    reverse,
    ...(group !== undefined && { group }),
  }
}

export const KEYS_ID = 'keys'

/**
 * A sound over the keys.
 * @param root  where it sounds as it is, found or said.
 * @param stretch  what makes its beats the session's, in place of its own stretch.
 */
export function keysInstrument(
  source: Source,
  keys: Keys,
  pick: PickMark | undefined,
  root: number,
  stretch?: number,
): Instrument | undefined {
  const recipe = overKeys(playedRecipe(source, pick ? pick.variant : keys.variant), keys, stretch)
  const span = pick ? spanIn(source, recipe, pick) : {}
  if (!span) return undefined
  const { length, play, attackMs, releaseMs, voices, glideMs, gainDb, pan } = keys
  return {
    id: KEYS_ID,
    recipe,
    ...span,
    root,
    length,
    play,
    attackMs,
    releaseMs,
    voices,
    glideMs,
    gainDb,
    pan,
    reverse: pick?.reverse ?? false,
  }
}

/** A recipe as the keys have it: with their formants, in the session's tempo. */
function overKeys(recipe: Recipe, { formants, inTempo }: Keys, stretch: number | undefined): Recipe {
  const own = formants === undefined ? recipe : { ...recipe, formants }
  if (!inTempo || stretch === undefined) return own
  const { map: _, speedCurve: __, ...steady } = own
  return { ...steady, stretch }
}
