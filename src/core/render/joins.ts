import { AppError } from '../errors'
import { methodById } from '../methods/registry'
import { resolveSettings, type SettingValues } from '../methods/settings'
import type { Recipe, ResolvedRecipe } from './recipe'

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
const FADE_SECONDS = 0.005

/** What joins a recipe has. @throws {AppError} `recipe/join` naming the one that does not hold; as `resolveRecipe`. */
export function checkJoins({ methodId, joins = [] }: Recipe) {
  if (joins.length > 0 && methodById(methodId).tiesPitchToSpeed)
    throw new AppError('recipe/join', { join: 1, why: TIED })
  joins.forEach(({ source, methodId: id, settings, fade = FADE_SECONDS }, n) => {
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

/** The recipe by one method alone, as one of its lanes has it. */
export interface Lane {
  readonly recipe: Recipe
  /** seconds of the source from which on it is heard */
  readonly source: number
  /** seconds within which it takes over */
  readonly fade: number
}

/** The lanes that are joined, the first from 0 on; one where nothing is. */
export function lanesOf(given: Recipe | ResolvedRecipe): readonly Lane[] {
  const { joins = [], ...rest } = given
  const plain: Recipe = 'method' in rest ? withoutMethod(rest) : rest
  const own = (methodId: string, settings: SettingValues): Recipe => {
    const { holdPercent, ...lane } = { ...plain, methodId, settings }
    // where holding attacks does a lane no good it is left out
    const holds = holdPercent !== undefined && methodById(methodId).gainsByHold
    return holds ? { ...lane, holdPercent } : lane
  }
  return [
    { recipe: own(plain.methodId, plain.settings), source: 0, fade: 0 },
    ...joins.map(({ source, methodId, settings, fade = FADE_SECONDS }) => ({
      recipe: own(methodId, settings),
      source,
      fade,
    })),
  ]
}

function withoutMethod({ method: _, ...recipe }: ResolvedRecipe): Recipe {
  return recipe
}

/** The recipe by its own method, or by another, all through. */
export function unjoined(recipe: Recipe, methodId?: string): Recipe {
  const { joins: _, ...rest } = recipe
  return methodId === undefined ? rest : { ...rest, methodId }
}

/** The methods that make a recipe or a lane, each once, as they are called on screen. */
export const methodText = ({
  methodId,
  joins = [],
}: {
  readonly methodId: string
  readonly joins?: readonly { readonly methodId: string }[] | undefined
}): string =>
  [...new Set([methodId, ...joins.map((join) => join.methodId)])].map((id) => methodById(id).label).join(' + ')
