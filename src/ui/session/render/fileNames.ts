import { resultName } from '../../../core'
import { recipeOf, type Source, type Variant } from '../../../session'

/** What a variant's file is called: with its letter where another one of the source would be called the same. */
export function fileNameOf(source: Source, variant: Variant): string {
  const nameOf = (of: Variant) => resultName(source.name, recipeOf(source, of))
  const name = nameOf(variant)
  const isShared = source.variants.some((other) => other.id !== variant.id && nameOf(other) === name)
  return isShared ? name.replace(/\.wav$/, `_${variant.letter}.wav`) : name
}
