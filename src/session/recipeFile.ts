import { z } from 'zod'
import {
  type Analysis,
  AppError,
  type Attack,
  CEILING_RANGE,
  CONTAINERS,
  checkRecipe,
  type Delivery,
  DITHERS,
  LOUDNESS_RANGE,
  type Markers,
  RATE_RANGE,
  type Recipe,
  type SoundTags,
} from '../core'
import { heldAnalysis } from './known'
import { filterSchema, prepareSchema } from './playSchema'
import { joinSchema, MOST_JOINS, markersSchema, type Source } from './schema'
import { pinSchema, speedCurveSchema } from './timingSchema'

/**
 * A recipe as a file: all that is needed to make the very bytes of a result again.
 * docs/recipe.md tells it to whoever writes one by hand.
 */

const text = z.string().max(1000)
const ceilingDb = z.number().min(CEILING_RANGE.min).max(CEILING_RANGE.max)

export const levelSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('as-is') }),
  z.object({
    kind: z.literal('loudness'),
    lufs: z.number().min(LOUDNESS_RANGE.min).max(LOUDNESS_RANGE.max),
    ceilingDb,
  }),
  z.object({ kind: z.literal('peak'), ceilingDb }),
])

export const rateSchema = z.number().int().min(RATE_RANGE.min).max(RATE_RANGE.max)
export const kbpsSchema = z.number().int().min(32).max(320)

/** What kind of file a result became. */
const deliverySchema = z.object({
  container: z.enum(CONTAINERS),
  depth: z.enum(['16', '24', '32', '32f']),
  rate: rateSchema.optional(),
  mono: z.boolean().default(false),
  level: levelSchema.default({ kind: 'as-is' }),
  dither: z.enum(DITHERS).default('flat'),
  kbps: kbpsSchema.optional(),
})

/** The recipe alone: target, method, settings, timing. Ranges are looked at by `checkRecipe`. */
export const recipeSchema = z.object({
  version: z.literal(1).default(1),
  stretch: z.number().default(1),
  pitchSemitones: z.number().default(0),
  formants: z.enum(['move', 'keep', 'shift']).default('move'),
  formantSemitones: z.number().optional(),
  methodId: text,
  settings: z.record(text, z.union([z.number(), text])).default({}),
  seed: z.number().default(1),
  pins: z.array(pinSchema).max(100_000).optional(),
  speedCurve: speedCurveSchema.optional(),
  map: z
    .array(
      z.object({
        sourceSeconds: z.number(),
        outputSeconds: z.number(),
        curve: z.enum(['line', 'linear', 'log']).optional(),
        speed: z.number().optional(),
      }),
    )
    .max(10_000)
    .optional(),
  pitchLine: z
    .array(z.object({ outputSeconds: z.number(), semitones: z.number() }))
    .max(10_000)
    .optional(),
  holdPercent: z.number().optional(),
  prepare: prepareSchema.partial().optional(),
  filter: filterSchema.optional(),
  joins: z.array(joinSchema).max(MOST_JOINS).optional(),
})

const fileSchema = z.object({
  zumbet: z.literal('recipe'),
  version: z.literal(1),
  recipe: recipeSchema,
  source: z
    .object({
      name: text,
      frames: z.number().int().positive().optional(),
      sampleRate: z.number().positive().optional(),
      hash: text.optional(),
    })
    .optional(),
  range: z.object({ start: z.number().int().nonnegative(), end: z.number().int().positive() }).optional(),
  /** attacks as they were corrected by hand, in the part that is worked with */
  attacks: z
    .array(z.object({ frame: z.number(), strength: z.number() }))
    .max(200_000)
    .optional(),
  file: deliverySchema.optional(),
  markers: z.union([z.enum(['keep', 'drop']), markersSchema]).default('keep'),
  tags: z
    .object({
      title: text.optional(),
      bpm: z.number().optional(),
      beats: z.number().optional(),
      metre: z.object({ beats: z.number(), unit: z.number() }).optional(),
      key: text.optional(),
      date: text.optional(),
      startFrame: z.number().optional(),
    })
    .optional(),
})

/** A recipe, and what it was made for. */
export interface RecipeFile {
  readonly recipe: Recipe
  readonly source?: {
    readonly name: string
    readonly frames?: number
    readonly sampleRate?: number
    readonly hash?: string
  }
  /** the part of the source that was worked with, its frames, end exclusive */
  readonly range?: { readonly start: number; readonly end: number }
  readonly attacks?: readonly Attack[]
  readonly file?: Delivery
  /** those of the source's file, none, or others, in frames of the part that is worked with */
  readonly markers: 'keep' | 'drop' | Markers
  /** what the file says of its sound; nothing where it says nothing */
  readonly tags?: SoundTags
}

/** What was done to a source, and to which part of it. @param analysis  with the attacks that were found in it. */
export function recipeFileOf(
  source: Source,
  recipe: Recipe,
  analysis: Analysis,
): Pick<RecipeFile, 'recipe' | 'source' | 'range' | 'attacks'> {
  const { file, facts, range, hand } = source
  const attacks = hand.attacks && heldAnalysis(source, analysis).attacks
  return {
    recipe,
    source: { name: file, ...(facts && { frames: facts.frames, sampleRate: facts.sampleRate }) },
    ...(range && { range }),
    ...(attacks && { attacks }),
  }
}

export const recipeText = (file: RecipeFile): string =>
  `${JSON.stringify({ zumbet: 'recipe', version: 1, ...file }, undefined, 2)}\n`

/**
 * Read such a file, or a recipe alone.
 * @throws {AppError} `recipe/json` saying what is wrong; as `checkRecipe`.
 */
export function readRecipeFile(text: string, file: string): RecipeFile {
  let read: unknown
  try {
    read = JSON.parse(text)
  } catch (error) {
    throw new AppError('recipe/json', { file, why: 'it is not JSON' }, error)
  }
  const isWhole = typeof read === 'object' && read !== null && 'recipe' in read
  const found = fileSchema.safeParse(isWhole ? read : { zumbet: 'recipe', version: 1, recipe: read })
  if (!found.success) {
    const [issue] = found.error.issues
    const path = (issue?.path ?? []).filter((one) => isWhole || one !== 'recipe')
    const place = path.length > 0 ? `"${path.join('.')}": ` : ''
    throw new AppError('recipe/json', { file, why: `${place}${issue?.message.toLowerCase()}` })
  }
  const { zumbet: _, version: __, ...rest } = found.data
  const given = withoutUndefined(rest) as unknown as RecipeFile
  checkRecipe(given.recipe)
  return given
}

/** Optional fields are either there or not. */
function withoutUndefined<Value>(value: Value): Value {
  if (Array.isArray(value)) return value.map(withoutUndefined) as Value
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(
    Object.entries(value).flatMap(([name, one]) => (one === undefined ? [] : [[name, withoutUndefined(one)]])),
  ) as Value
}
