import { AppError } from '../errors'
import type { AnyMethod } from '../methods/method'
import { methodById } from '../methods/registry'
import { resolveSettings, type SettingValues } from '../methods/settings'
import { checkFilter, type DrawnFilter } from '../shape/drawnFilter'
import { checkPrepare, type Prepare } from '../shape/prepare'
import type { PitchPoint } from '../timeline/pitchLine'
import type { MapPoint } from '../timeline/timeMap'
import type { Pin } from '../timing/pins'
import { checkSpeedCurve, type SpeedCurve } from '../timing/speedCurve'
import { checkJoins, type Join } from './joins'

/** What becomes of the spectral envelope when the pitch changes: it moves along, stays, or is shifted by itself. */
export type Formants = 'move' | 'keep' | 'shift'

/** Everything needed to render a result again, as plain data. */
export interface Recipe {
  readonly version: 1
  /** output length ÷ source length; a map by hand takes its place */
  readonly stretch: number
  /** semitones; cents are their hundredths */
  readonly pitchSemitones: number
  readonly formants: Formants
  /** for `shift`: where the envelope goes, in semitones, whatever the pitch does */
  readonly formantSemitones?: number
  readonly methodId: string
  /** the settings that differ from their defaults */
  readonly settings: SettingValues
  readonly seed: number
  /** moments of the source that are moved in its own time, and those beside them that are held; rising on both axes */
  readonly pins?: readonly Pin[]
  /** a speed that changes over the source's own time; a map by hand takes its place */
  readonly speedCurve?: SpeedCurve
  /** a time map by hand */
  readonly map?: readonly MapPoint[]
  /** a line of pitch by hand, on top of `pitchSemitones` */
  readonly pitchLine?: readonly PitchPoint[]
  /** how far the map lets attacks pass at their natural speed, 0–100 % */
  readonly holdPercent?: number
  /** what is taken out of the source, or turned down, before it is stretched */
  readonly prepare?: Prepare
  /** a gain over the spectrum, before the stretch or after */
  readonly filter?: DrawnFilter
  /** other methods that take over, rising; `methodId` is the one at the start */
  readonly joins?: readonly Join[]
}

/**
 * Read a time map that came as JSON text: `{"points":[{"source":0,"output":0,"curve":"line"}, …]}`, seconds; `curve`
 * (line, linear, log) says how the way to the next point goes, `speed` at which speed a ramp starts. See docs/maps.md.
 * @throws {AppError} `map/json` saying what is wrong. Whether the points hold is checked where the map is opened.
 */
export function readMapPoints(text: string, file: string): MapPoint[] {
  return pointsOf(text, 'map/json', file).map((point, i) => {
    const { source, output, curve, speed } = point
    const wrong = (why: string) => new AppError('map/json', { file, why: `point ${i + 1} ${why}` })
    if (typeof source !== 'number' || typeof output !== 'number') throw wrong('needs "source" and "output" in seconds')
    if (curve !== undefined && curve !== 'line' && curve !== 'linear' && curve !== 'log') {
      throw wrong('has a "curve" that is none of line, linear, log')
    }
    if (speed !== undefined && typeof speed !== 'number') throw wrong('has a "speed" that is no number')
    return {
      sourceSeconds: source,
      outputSeconds: output,
      ...(curve && { curve }),
      ...(speed !== undefined && { speed }),
    }
  })
}

/** The same for a pitch line: `{"points":[{"output":0,"semitones":0}, …]}`. @throws {AppError} `pitch/json` */
export function readPitchPoints(text: string, file: string): PitchPoint[] {
  return pointsOf(text, 'pitch/json', file).map(({ output, semitones }, i) => {
    if (typeof output !== 'number' || typeof semitones !== 'number') {
      throw new AppError('pitch/json', { file, why: `point ${i + 1} needs "output" in seconds and "semitones"` })
    }
    return { outputSeconds: output, semitones }
  })
}

function pointsOf(text: string, code: string, file: string): Record<string, unknown>[] {
  let read: unknown
  try {
    read = JSON.parse(text)
  } catch (error) {
    throw new AppError(code, { file, why: 'it is not JSON' }, error)
  }
  const points = Array.isArray(read) ? read : (read as { points?: unknown } | null)?.points
  if (!Array.isArray(points) || points.some((point) => typeof point !== 'object' || point === null)) {
    throw new AppError(code, { file, why: 'it has no list of "points"' })
  }
  return points as Record<string, unknown>[]
}

export const STRETCH_RANGE = { min: 0.1, max: 1000 } as const
export const PITCH_RANGE = { min: -36, max: 36 } as const
export const FORMANT_RANGE = { min: -24, max: 24 } as const
export const HOLD_RANGE = { min: 0, max: 100 } as const

/** A recipe whose method was looked up and whose settings were looked at, once for all that comes of it. */
export interface ResolvedRecipe extends Recipe {
  readonly method: AnyMethod
}

/** @throws {AppError} `method/unknown`; `setting/unknown`; `setting/range`. */
export function resolveRecipe(recipe: Recipe | ResolvedRecipe): ResolvedRecipe {
  if ('method' in recipe) return recipe
  const method = methodById(recipe.methodId)
  resolveSettings(method.settings, recipe.settings)
  return { ...recipe, method }
}

/**
 * Check a recipe that came from outside. Maps and lines by hand are checked where they are opened, since only the
 * source tells how far they may reach.
 * @throws {AppError} `recipe/range` naming what is out of range, `recipe/pin`, `recipe/join`, `speed/…`.
 *   As `resolveRecipe`.
 */
export function checkRecipe(recipe: Recipe): Recipe {
  checkedRecipe(recipe)
  return recipe
}

/** The same, resolved. @throws {AppError} as `checkRecipe`. */
export function checkedRecipe(recipe: Recipe): ResolvedRecipe {
  const within = (name: string, value: number, range: { min: number; max: number }) => {
    if (!(value >= range.min && value <= range.max)) {
      throw new AppError('recipe/range', { name, value: String(value), min: range.min, max: range.max })
    }
  }
  within('stretch', recipe.stretch, STRETCH_RANGE)
  within('pitch', recipe.pitchSemitones, PITCH_RANGE)
  within('formant shift', recipe.formantSemitones ?? 0, FORMANT_RANGE)
  within('attack hold', recipe.holdPercent ?? 0, HOLD_RANGE)
  if (!Number.isInteger(recipe.seed) || recipe.seed < 0 || recipe.seed > 0xffffffff) {
    throw new AppError('recipe/range', { name: 'seed', value: String(recipe.seed), min: 0, max: 0xffffffff })
  }
  if (recipe.prepare) checkPrepare(recipe.prepare)
  if (recipe.filter) checkFilter(recipe.filter)
  if (recipe.speedCurve) checkSpeedCurve(recipe.speedCurve)
  recipe.pins?.forEach(({ source, own }, n, pins) => {
    const before = pins[n - 1]
    if (!(source >= 0 && own >= 0 && (!before || (source > before.source && own > before.own))))
      throw new AppError('recipe/pin', { pin: n + 1 })
  })
  checkJoins(recipe)
  return resolveRecipe(recipe)
}
