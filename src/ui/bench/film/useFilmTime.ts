import { useMemo } from 'react'
import { partFacts, type Source } from '../../../session'
import { type FilmTime, filmTime, shownOf } from '../../session/film/filmTime'
import { useSession } from '../../session/state/store'

export type { FilmTime }

/** Where the lane that is heard lies on the film that its source is seen with; undefined where there is none. */
export function useFilmTime(source: Source): FilmTime | undefined {
  const film = useSession((state) => shownOf(state, source).film)
  const at = useSession((state) => shownOf(state, source).at)
  const recipe = useSession((state) => shownOf(state, source).recipe)
  const frames = partFacts(source)?.frames
  // biome-ignore lint/correctness/useExhaustiveDependencies: of the source only how long it is counts
  return useMemo(() => filmTime({ film, at, recipe }, source), [film, at, recipe, frames])
}
