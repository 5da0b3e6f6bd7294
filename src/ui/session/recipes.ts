import { methodText } from '../../core'
import {
  freeLetter,
  handMarkersOf,
  joinedOf,
  MAX_VARIANTS,
  newVariant,
  type RecipeFile,
  readRecipeFile,
  recipeFileOf,
  recipeOf,
  recipeText,
  runsIn,
  type Source,
  type Variant,
} from '../../session'
import { setTarget } from './acts'
import { placeVariant } from './edits'
import { hearLane } from './hear/listening'
import { knownSoFar } from './know/analyses'
import { setFilter, setPrepare } from './play/picks'
import { mayChange } from './state/access'
import { notify, tell } from './state/notices'
import { store } from './state/store'

/** Recipes as texts: copied from one source, tried on another, dropped as files. */

/** The recipe of a variant as a text that can be pasted on another source, or kept as a file. */
export function recipeTextOf(source: Source, variant: Variant): string {
  const analysis = knownSoFar(store.getState(), source) ?? {}
  return recipeText({
    ...recipeFileOf(source, recipeOf(source, variant), analysis),
    markers: handMarkersOf(source) ?? 'keep',
  })
}

/** What of a recipe belongs to the moments of its own source, and is left out on another one. */
const ownMoments = ({ recipe }: RecipeFile): string[] => [
  ...(recipe.pins ? ['pins'] : []),
  ...(recipe.speedCurve ? ['a speed curve'] : []),
  ...(recipe.map ? ['a map by hand'] : []),
  ...(recipe.pitchLine ? ['a line of pitch'] : []),
  ...(recipe.prepare?.without?.length ? ['single attacks taken out'] : []),
]

/** Whether a recipe was made for a sound as long as this one: then its moments mean the same. */
const isOf = ({ facts }: Source, { source }: RecipeFile) =>
  source?.frames === undefined || source.frames === facts?.frames

/** Try a recipe on a source, in one step: its target becomes the source's, its method a variant. */
export function tryRecipe(source: Source, file: RecipeFile) {
  if (!mayChange()) return
  if (source.variants.length >= MAX_VARIANTS) {
    notify({ tone: 'trouble', text: `${source.name} has a variant for every letter. Remove one to try a recipe.` })
    return
  }
  const { recipe } = file
  const { methodId, settings, seed, stretch, pitchSemitones, formants, formantSemitones = 0, holdPercent = 0 } = recipe
  const mark = `recipe-${crypto.randomUUID()}`
  setTarget(source.id, { stretch, pitchSemitones, formants, formantSemitones, holdPercent, tied: false }, mark)
  if (recipe.filter) setFilter(source, { ...recipe.filter, points: [...recipe.filter.points] }, mark)
  if (recipe.prepare) {
    const { sinesDb = 0, attacksDb = 0, noiseDb = 0 } = recipe.prepare
    if (sinesDb !== 0 || attacksDb !== 0 || noiseDb !== 0) setPrepare(source, { sinesDb, attacksDb, noiseDb }, mark)
  }
  const variant = newVariant(crypto.randomUUID(), freeLetter(source.variants), methodId)
  const joins = isOf(source, file) ? recipe.joins : undefined
  const plain = { ...variant, settings: { [methodId]: { ...settings } }, seed }
  const tried = joins ? { ...plain, ...joinedOf(plain, runsIn(source, recipe)) } : plain
  const at = placeVariant(source, tried, 'Try a recipe', mark)
  if (at !== undefined) hearLane(at + 1)
  const left = [...ownMoments(file), ...(recipe.joins && !joins ? ['joined lanes'] : [])]
  notify({
    tone: 'plain',
    kind: 'undo',
    undo: true,
    text: `${methodText(tried)} is tried on ${source.name}${left.length > 0 ? `, without ${left.join(', ')}: they belong to the moments of another sound` : ''}`,
  })
}

/** The same of a text. @returns whether it was a recipe. */
export function tryRecipeText(source: Source, text: string, name: string): boolean {
  try {
    tryRecipe(source, readRecipeFile(text, name))
    return true
  } catch (error) {
    tell(error)
    return false
  }
}
