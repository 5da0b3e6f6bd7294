import { AppError } from '../errors'
import { methodById } from '../methods/registry'
import { resolveSettings, type SettingValues } from '../methods/settings'
import { SEAM_FADE_SECONDS } from './seams'

/**
 * Lanes of one source joined to one result: from a moment of the source on another method makes it. All of them make it
 * by the same map, at the same pitch.
 */
export interface Join {
  /** seconds of the source from which on it is this method's */
  readonly source: number
  readonly methodId: string
  /** the settings that differ from their defaults */
  readonly settings: SettingValues
  /** seconds within which it takes over, done at its moment: `FADE_RANGE`; 0.005 where it is not said */
  readonly fade?: number | undefined
}

export const FADE_RANGE = { min: 0.001, max: 0.5 } as const

/** What joins a recipe has. @throws {AppError} `recipe/join` naming the one that does not hold; as `resolveRecipe`. */
export function checkJoins({ methodId, joins = [] }: { readonly methodId: string; readonly joins?: readonly Join[] }) {
  if (joins.length > 0 && methodById(methodId).tiesPitchToSpeed)
    throw new AppError('recipe/join', { join: 1, why: TIED })
  joins.forEach(({ source, methodId: id, settings, fade = SEAM_FADE_SECONDS }, n) => {
    const wrong = (why: string) => new AppError('recipe/join', { join: n + 1, why })
    const method = methodById(id)
    if (method.tiesPitchToSpeed) throw wrong(TIED)
    resolveSettings(method.settings, settings)
    if (!(source >= 0 && source > (joins[n - 1]?.source ?? -1)))
      throw wrong('its moment does not lie behind the one before')
    if (!(fade >= FADE_RANGE.min && fade <= FADE_RANGE.max))
      throw wrong(`its fade is not between ${FADE_RANGE.min} and ${FADE_RANGE.max} s`)
  })
}

const TIED = 'a method whose pitch follows its speed has a length of its own, and joins no other'
