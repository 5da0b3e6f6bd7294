import { AppError } from '../errors'
import { methodById } from '../methods/registry'
import { resolveSettings, type SettingValues } from '../methods/settings'

export type Formants = 'move' | 'keep'

/** Everything needed to render a result again, as plain data. */
export interface Recipe {
  readonly version: 1
  /** output length ÷ source length */
  readonly stretch: number
  /** semitones; cents are their hundredths */
  readonly pitchSemitones: number
  readonly formants: Formants
  readonly methodId: string
  /** the settings that differ from their defaults */
  readonly settings: SettingValues
  readonly seed: number
}

export const STRETCH_RANGE = { min: 0.1, max: 1000 } as const
export const PITCH_RANGE = { min: -36, max: 36 } as const

/**
 * Check a recipe that came from outside.
 * @throws {AppError} `recipe/range` naming what is out of range; `method/unknown`; `setting/unknown`; `setting/range`.
 */
export function checkRecipe(recipe: Recipe): Recipe {
  const within = (name: string, value: number, range: { min: number; max: number }) => {
    if (!(value >= range.min && value <= range.max)) {
      throw new AppError('recipe/range', { name, value: String(value), min: range.min, max: range.max })
    }
  }
  within('stretch', recipe.stretch, STRETCH_RANGE)
  within('pitch', recipe.pitchSemitones, PITCH_RANGE)
  if (!Number.isInteger(recipe.seed) || recipe.seed < 0 || recipe.seed > 0xffffffff) {
    throw new AppError('recipe/range', { name: 'seed', value: String(recipe.seed), min: 0, max: 0xffffffff })
  }
  resolveSettings(methodById(recipe.methodId).settings, recipe.settings)
  return recipe
}
