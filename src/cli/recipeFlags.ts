import { basename } from 'node:path'
import {
  AppError,
  checkRecipe,
  methodById,
  type Recipe,
  readMapPoints,
  readPitchPoints,
  type SettingValues,
} from '../core'
import { errorText } from '../host/errorText'
import { type Arguments, UsageError } from './args'
import { readText } from './files'

/** Flags that say what is to become of a sound. */
export const RECIPE_FLAGS = [
  'method',
  'semitones',
  'cents',
  'formants',
  'formant-semitones',
  'pitch-map',
  'hold-attacks',
] as const

/** Flags of every command that renders. */
export const RENDER_FLAGS = [...RECIPE_FLAGS, 'set', 'depth', 'rate', 'seed'] as const

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
  }
  return ofFlags(() => checkRecipe(recipe))
}
