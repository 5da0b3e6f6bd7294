import { asOutput, asSource, planOf, type Recipe } from '../../../core'
import { partFacts, pictureOf, recipeOf, type Source } from '../../../session'
import { activeLane, type State } from '../state/store'

/** Where the result of the lane that is heard lies on the film that its source is seen with. */
export interface FilmTime {
  readonly film: Source
  /** seconds of the film at a frame of the source's part, and back */
  secondsAt(frame: number): number
  frameAt(seconds: number): number
  /** the second of the film at which the result begins, and at which it ends */
  readonly from: number
  readonly to: number
}

/** What a film time is made of: the same one for the same. */
export interface Shown {
  readonly film: Source | undefined
  readonly at: number
  readonly recipe: Recipe | undefined
}

export function shownOf(state: State, source: Source): Shown {
  const shown = pictureOf(state.history.present.sources, source)
  const lane = activeLane(state, source)
  const variant = source.variants.find(({ id }) => id === lane)
  return { film: shown?.film, at: shown?.at ?? 0, recipe: variant && recipeOf(source, variant) }
}

export function filmTime({ film, at, recipe }: Shown, source: Source): FilmTime | undefined {
  const { frames, sampleRate } = partFacts(source) ?? {}
  if (!film || !frames || !sampleRate) return undefined
  const map = recipe && planOf(recipe, { frames, sampleRate }).map
  return {
    film,
    secondsAt: (frame) => at + (map?.outputAt(asSource(frame)) ?? frame) / sampleRate,
    frameAt: (seconds) => {
      const output = (seconds - at) * sampleRate
      return map?.sourceAt(asOutput(output)) ?? output
    },
    from: at,
    to: at + (map?.outputFrames ?? frames) / sampleRate,
  }
}
