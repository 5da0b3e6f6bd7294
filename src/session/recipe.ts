import {
  canKeepLength,
  isFlat,
  joinsFrom,
  methodById,
  type Pin,
  preparesNothing,
  type Recipe,
  type SpeedCurve,
  timingMap,
} from '../core'
import type { Source, SourceFacts, Variant } from './schema'

/** Facts of the part of a source that is worked with. */
export function partFacts(source: Source): SourceFacts | undefined {
  const { facts, range } = source
  return facts && range ? { ...facts, frames: range.end - range.start } : facts
}

/**
 * A source's bytes lie under their hash. Those of an older version may lie under the hash in its facts, or under
 * the source's id.
 */
export const contentKeys = ({ hash, facts, id }: Source): readonly (string | undefined)[] => [hash, facts?.hash, id]

/** Tells one part of a source from another: what is drawn, measured and found out belongs to it. */
export const soundKey = ({ id, range, kin = [] }: Pick<Source, 'id' | 'range' | 'kin'>) =>
  [id, ...(range ? [range.start, range.end] : []), ...(kin.length > 0 ? ['of', ...kin] : [])].join(' ')

/** Seconds of the file at which the part that is worked with begins. */
export const partStart = ({ range, facts }: Source) => (range && facts ? range.start / facts.sampleRate : 0)

/** Seconds of the file at which it ends; undefined where that is the end of the file. */
export const partEnd = ({ range, facts }: Source) => (range && facts ? range.end / facts.sampleRate : undefined)

/** What of a source's timing goes into a recipe, seconds of its part. */
function recipeTiming(source: Source): ReturnType<typeof newTiming> {
  const { timing, range, facts } = source
  if (!timing) return {}
  const of = [range, facts]
  const there = madeTimings.get(timing)
  if (there?.of.every((one, n) => one === of[n])) return there.timing
  const made = newTiming(source)
  madeTimings.set(timing, { of, timing: made })
  return made
}

/** shared by all variants of a source, so that what follows from it is found once */
const madeTimings = new WeakMap<
  object,
  { readonly of: readonly unknown[]; readonly timing: ReturnType<typeof newTiming> }
>()

function newTiming(source: Source): { readonly pins?: readonly Pin[]; readonly speedCurve?: SpeedCurve } {
  const { timing } = source
  const facts = partFacts(source)
  if (!timing || !facts) return {}
  const offset = partStart(source)
  const seconds = facts.frames / facts.sampleRate
  const pins: Pin[] = []
  for (const pin of timing.placed) {
    const own = offset === 0 ? pin : { source: pin.source - offset, own: pin.own - offset }
    const last = pins.at(-1)
    const rises = !last || (own.source > last.source && own.own > last.own)
    if (own.source >= 0 && own.own >= 0 && own.source <= seconds && rises) pins.push(own)
  }
  const { speedCurve } = timing
  const points = speedCurve?.points
    .map((point) => ({ ...point, seconds: point.seconds - offset }))
    .filter((point) => point.seconds >= 0 && point.seconds <= seconds)
    .sort((a, b) => a.seconds - b.seconds)
    .filter((point, n, all) => n < 2 || (all[n - 2] as typeof point).seconds !== point.seconds)
  return {
    ...(pins.length > 0 && { pins }),
    ...(points &&
      points.length > 0 && {
        speedCurve: { points, ...(speedCurve?.keepsLength && canKeepLength(points, seconds) && { keepsLength: true }) },
      }),
  }
}

/**
 * Facts of the part that is worked with, as long as it is in its own time: a speed curve may make it longer or
 * shorter. A stretch of 1 gives so many frames.
 */
export function timedFacts(source: Source): SourceFacts | undefined {
  const facts = partFacts(source)
  const { speedCurve } = recipeTiming(source)
  if (!facts || !speedCurve) return facts
  return { ...facts, frames: timingMap({ speedCurve }, facts.frames, facts.sampleRate).outputFrames }
}

interface Made {
  readonly of: readonly unknown[]
  readonly recipe: Recipe
}
const made = new WeakMap<Variant, Made>()

/** The recipe that a variant makes of its source's target and timing: the same one as long as they are. */
export function recipeOf(source: Source, variant: Variant): Recipe {
  const { target, timing, range, facts, prepare, filter } = source
  const of = [target, timing, range, facts, prepare, filter]
  const there = made.get(variant)
  if (there?.of.every((one, n) => one === of[n])) return there.recipe
  const recipe = newRecipe(source, variant)
  made.set(variant, { of, recipe })
  return recipe
}

function newRecipe(source: Source, variant: Variant): Recipe {
  const { methodId, joins = [] } = variant
  const all = [methodId, ...joins.map((join) => join.methodId)].map(methodById)
  const recipe: Recipe = {
    version: 1,
    stretch: source.target.stretch,
    // a method that ties them itself would otherwise turn its speed twice
    pitchSemitones: source.target.tied && methodById(methodId).tiesPitchToSpeed ? 0 : source.target.pitchSemitones,
    formants: source.target.formants,
    ...(source.target.formants === 'shift' && { formantSemitones: source.target.formantSemitones }),
    // where holding attacks does them no good it is left out
    ...(source.target.holdPercent > 0 &&
      all.some(({ gainsByHold }) => gainsByHold) && { holdPercent: source.target.holdPercent }),
    methodId,
    settings: variant.settings[methodId] ?? {},
    seed: variant.seed,
    ...recipeTiming(source),
    ...shapingOf(source),
  }
  return joins.length > 0 ? joinsFrom({ ...recipe, joins }, partStart(source)) : recipe
}

/** How a source is shaped, seconds of its part; nothing where it does nothing. */
export function shapingOf(source: Source): Pick<Recipe, 'prepare' | 'filter'> {
  const { prepare, filter } = source
  const offset = partStart(source)
  const own = prepare && { ...prepare, without: prepare.without.map((at) => at - offset).filter((at) => at >= 0) }
  return {
    ...(own && !preparesNothing(own) && { prepare: own }),
    ...(filter && filter.points.length > 0 && !isFlat(filter) && { filter }),
  }
}
