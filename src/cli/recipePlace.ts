import { basename } from 'node:path'
import { AppError, markersWithin, type Recipe, type SoundTags, soundSource } from '../core'
import { type RecipeFile, readRecipeFile } from '../session'
import { type Arguments, UsageError } from './args'
import { type OpenSound, readText, sourceOf } from './files'
import { OUTPUT_FLAGS, outputFlags, type Written } from './output'
import { RECIPE_FLAGS } from './recipeFlags'

/** Recipes that are read from files, and written to them. */

/**
 * A recipe from a file, and what file it was made for. Flags for the file take the place of what it says.
 * @throws {AppError} `recipe/json`; as `checkRecipe`.
 */
export async function recipeGiven(args: Arguments, place: string) {
  const against = [...RECIPE_FLAGS, 'set', 'seed', 'stretch', 'map'].find((name) => args.text(name) !== undefined)
  if (against !== undefined) throw new UsageError(`--recipe says it all: leave --${against} out`)
  const file = readRecipeFile(await readText(place), basename(place))
  const says = OUTPUT_FLAGS.some((name) => args.text(name) !== undefined)
  const written: Written =
    file.file && !says
      ? { ...file.file, rate: file.file.rate, kbps: file.file.kbps, markers: file.markers === 'drop' ? 'drop' : 'keep' }
      : outputFlags(args, args.places[1]?.split('.').at(-1)?.toLowerCase())
  const tags: SoundTags | undefined = file.tags && { ...file.tags, recipe: embedded(file.recipe) }
  const marked = typeof file.markers === 'object' ? file.markers : undefined
  return { ...file, written, tags, marked }
}

/** A recipe as it lies in a file of sound. */
export const embedded = (recipe: Recipe) => JSON.stringify(recipe)

/** What a file may say of its sound, where nobody said more. */
export const tagsFor = (input: string, recipe: Recipe, date: string | undefined): SoundTags => {
  if (date !== undefined && !/^\d{4}-\d\d-\d\d$/.test(date))
    throw new UsageError(`--date takes YYYY-MM-DD, not "${date}"`)
  return {
    title: basename(input).replace(/\.[^.]+$/, ''),
    ...(date !== undefined && { date }),
    recipe: embedded(recipe),
  }
}

/** The part of a sound that a recipe was made for, with what is marked in it. @throws {AppError} `recipe/json` */
export function soundWithin(
  sound: OpenSound,
  { start, end }: NonNullable<RecipeFile['range']>,
  input: string,
): OpenSound {
  const { frames } = soundSource(sourceOf(sound))
  if (end > frames)
    throw new AppError('recipe/json', {
      file: basename(input),
      why: `it asks for frames up to ${end}, and the sound has ${frames}`,
    })
  const markers = markersWithin(sound.markers, { start, end })
  const { depth, container } = sound
  const { sampleRate, channels } = soundSource(sourceOf(sound)).part(start, end)
  return { depth, container, markers, audio: { sampleRate, channels: channels.map((channel) => channel.slice()) } }
}
