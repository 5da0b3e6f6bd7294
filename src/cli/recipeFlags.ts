import { basename } from 'node:path'
import {
  AppError,
  checkRecipe,
  methodById,
  type Prepare,
  type Recipe,
  readFilter,
  readMapPoints,
  readPitchPoints,
  type SettingValues,
} from '../core'
import { errorText } from '../host/errorText'
import { type Arguments, UsageError } from './args'
import { readText } from './files'
import { OUTPUT_FLAGS } from './output'

/** Flags that say what is to become of a sound. */
export const RECIPE_FLAGS = [
  'method',
  'semitones',
  'cents',
  'formants',
  'formant-semitones',
  'pitch-map',
  'hold-attacks',
  'filter',
  'filter-at',
  'layers',
  'without-attacks',
] as const

/** Flags of every command that renders. */
export const RENDER_FLAGS = [...RECIPE_FLAGS, ...OUTPUT_FLAGS, 'set', 'seed'] as const

const WRONG_VALUES = ['method/unknown', 'setting/unknown', 'setting/range', 'recipe/range']

/** Do what looks at the values of flags: what does not hold of them is bad usage, not bad input. */
export function ofFlags<Result>(work: () => Result): Result {
  try {
    return work()
  } catch (error) {
    throw error instanceof AppError && WRONG_VALUES.includes(error.code) ? new UsageError(errorText(error)) : error
  }
}

/** A method by its id, as a flag names it. @throws {UsageError} */
export const methodOf = (id: string) => ofFlags(() => methodById(id))

/**
 * The recipe that the flags make. Its stretch is given where a command finds that itself.
 * @throws {UsageError} for values that no recipe takes.
 */
export async function recipeFrom(args: Arguments, methodId: string, stretch: number): Promise<Recipe> {
  const formants = args.text('formants') ?? 'move'
  if (formants !== 'move' && formants !== 'keep' && formants !== 'shift') {
    throw new UsageError('--formants takes move, keep or shift')
  }
  const formantSemitones = args.number('formant-semitones')
  if (formantSemitones !== undefined && formants !== 'shift') {
    throw new UsageError('--formant-semitones goes with --formants shift')
  }
  const mapFile = args.text('map')
  if (mapFile !== undefined && args.text('stretch') !== undefined) {
    throw new UsageError('--map says how long everything lasts: leave --stretch out')
  }
  const pitchFile = args.text('pitch-map')
  const holdPercent = args.number('hold-attacks')
  const schema = methodOf(methodId).settings
  const pairs = args.texts('set').map((pair): [string, number | string] => {
    const equals = pair.indexOf('=')
    if (equals < 1) throw new UsageError(`--set takes NAME=VALUE, not "${pair}"`)
    const name = pair.slice(0, equals)
    const value = pair.slice(equals + 1)
    const asNumber = value.trim() === '' ? Number.NaN : Number(value)
    return [name, Object.hasOwn(schema, name) && schema[name]?.type === 'number' ? asNumber : value]
  })
  // names as they were given, whatever they mean to an object
  const settings: SettingValues = Object.fromEntries(pairs)
  const recipe: Recipe = {
    version: 1,
    stretch,
    pitchSemitones: (args.number('semitones') ?? 0) + (args.number('cents') ?? 0) / 100,
    formants,
    methodId,
    settings,
    seed: args.number('seed') ?? 1,
    ...(formantSemitones !== undefined && { formantSemitones }),
    ...(mapFile !== undefined && { map: readMapPoints(await readText(mapFile), basename(mapFile)) }),
    ...(pitchFile !== undefined && { pitchLine: readPitchPoints(await readText(pitchFile), basename(pitchFile)) }),
    ...(holdPercent !== undefined && { holdPercent }),
    ...(await shapingFrom(args)),
  }
  return ofFlags(() => checkRecipe(recipe))
}

const LAYERS = { sines: 'sinesDb', attacks: 'attacksDb', noise: 'noiseDb' } as const
const MUTED_DB = -60

/**
 * What is done to the source before it is stretched, or to the result after: a drawn filter, layers, single attacks.
 */
async function shapingFrom(args: Arguments): Promise<Pick<Recipe, 'prepare' | 'filter'>> {
  const filterFile = args.text('filter')
  const at = args.text('filter-at') ?? 'before'
  if (at !== 'before' && at !== 'after') throw new UsageError('--filter-at takes before or after')
  if (args.text('filter-at') !== undefined && filterFile === undefined)
    throw new UsageError('--filter-at goes with --filter FILE.json')
  const prepare: Prepare = {
    ...layersFrom(args.text('layers')),
    ...(args.text('without-attacks') !== undefined && { without: secondsFrom(args.text('without-attacks') as string) }),
  }
  return {
    ...(Object.keys(prepare).length > 0 && { prepare }),
    ...(filterFile !== undefined && { filter: readFilter(await readText(filterFile), basename(filterFile), at) }),
  }
}

function layersFrom(text: string | undefined): Prepare {
  if (text === undefined) return {}
  return Object.fromEntries(
    text.split(',').map((pair): [string, number] => {
      const [name = '', value = ''] = pair.split(':').map((word) => word.trim())
      const db = value === 'off' ? MUTED_DB : value === '' ? Number.NaN : Number(value)
      if (!Object.hasOwn(LAYERS, name) || !Number.isFinite(db))
        throw new UsageError(`--layers takes sines:DB,attacks:DB,noise:DB, or off for DB, not "${pair}"`)
      return [LAYERS[name as keyof typeof LAYERS], db]
    }),
  )
}

const secondsFrom = (text: string) =>
  text.split(',').map((word) => {
    const seconds = word.trim() === '' ? Number.NaN : Number(word)
    if (!(seconds >= 0)) throw new UsageError(`--without-attacks takes seconds of the source, not "${word}"`)
    return seconds
  })
