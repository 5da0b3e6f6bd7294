import { methodById } from '../methods/registry'
import type { SettingValues } from '../methods/settings'
import type { Recipe, ResolvedRecipe } from './recipe'
import { SEAM_FADE_SECONDS } from './seams'

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
    ...joins.map(({ source, methodId, settings, fade = SEAM_FADE_SECONDS }) => ({
      recipe: own(methodId, settings),
      source,
      fade,
    })),
  ]
}

function withoutMethod({ method: _, ...recipe }: ResolvedRecipe): Recipe {
  return recipe
}

/** The recipe for a part of its source that begins so many seconds into it: what sounded there begins it. */
export function joinsFrom(given: Recipe | ResolvedRecipe, seconds: number): Recipe {
  const { joins = [], ...rest } = 'method' in given ? withoutMethod(given) : given
  const before = joins.findLast(({ source }) => source <= seconds)
  const behind = joins
    .filter(({ source }) => source > seconds)
    .map((join) => ({ ...join, source: join.source - seconds }))
  return {
    ...rest,
    ...(before && { methodId: before.methodId, settings: before.settings }),
    ...(behind.length > 0 && { joins: behind }),
  }
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
