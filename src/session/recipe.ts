import { methodById, type Recipe } from '../core'
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
export const soundKey = ({ id, range }: Pick<Source, 'id' | 'range'>) =>
  range ? `${id} ${range.start} ${range.end}` : id

/** The recipe that a variant makes of its source's target. */
export function recipeOf(source: Source, variant: Variant): Recipe {
  return {
    version: 1,
    stretch: source.target.stretch,
    // a method that ties them itself would otherwise turn its speed twice
    pitchSemitones:
      source.target.tied && methodById(variant.methodId).tiesPitchToSpeed ? 0 : source.target.pitchSemitones,
    formants: source.target.formants,
    ...(source.target.formants === 'shift' && { formantSemitones: source.target.formantSemitones }),
    // where holding attacks does them no good it is left out
    ...(source.target.holdPercent > 0 &&
      methodById(variant.methodId).gainsByHold && { holdPercent: source.target.holdPercent }),
    methodId: variant.methodId,
    settings: variant.settings[variant.methodId] ?? {},
    seed: variant.seed,
  }
}
