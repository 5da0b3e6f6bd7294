import { basename } from 'node:path'
import { methodById, type Recipe, readMapPoints, readPitchPoints, type SettingValues } from '../core'
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
export const RENDER_FLAGS = [...RECIPE_FLAGS, 'set', 'depth', 'seed'] as const

/** The recipe that the flags make, but for its stretch where a command finds that itself. */
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
  const schema = methodById(methodId).settings
  const settings: Record<string, number | string> = {}
  for (const pair of args.texts('set')) {
    const equals = pair.indexOf('=')
    if (equals < 1) throw new UsageError(`--set takes NAME=VALUE, not "${pair}"`)
    const name = pair.slice(0, equals)
    const value = pair.slice(equals + 1)
    const asNumber = value.trim() === '' ? Number.NaN : Number(value)
    settings[name] = schema[name]?.type === 'number' ? asNumber : value
  }
  return {
    version: 1,
    stretch,
    pitchSemitones: (args.number('semitones') ?? 0) + (args.number('cents') ?? 0) / 100,
    formants,
    methodId,
    settings: settings as SettingValues,
    seed: args.number('seed') ?? 1,
    ...(formantSemitones !== undefined && { formantSemitones }),
    ...(mapFile !== undefined && { map: readMapPoints(await readText(mapFile), basename(mapFile)) }),
    ...(pitchFile !== undefined && { pitchLine: readPitchPoints(await readText(pitchFile), basename(pitchFile)) }),
    ...(holdPercent !== undefined && { holdPercent }),
  }
}
