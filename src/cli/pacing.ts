import { type Analysis, pacedRecipe, type Recipe, soundSource } from '../core'
import { type Arguments, UsageError } from './args'
import { drive } from './drive'
import { type OpenSound, sourceOf } from './files'
import type { Terminal } from './terminal'

/** How far `--pacing` asks speech to be paced, %; undefined where it does not. @throws {UsageError} */
export function pacingFrom(args: Arguments): number | undefined {
  const percent = args.number('pacing')
  if (percent === undefined) return undefined
  if (!(percent >= 0 && percent <= 100)) throw new UsageError('--pacing takes 0 to 100 (%)')
  for (const other of ['map', 'recipe', 'speed-curve'])
    if (args.text(other) !== undefined)
      throw new UsageError(`--${other} says how fast everything runs: leave --pacing out`)
  return percent
}

/** The recipe with its speed paced to the sound, where that was asked for; and what was found out for it. */
export function pacedFor(
  sound: OpenSound,
  recipe: Recipe,
  percent: number | undefined,
  { progress }: Terminal,
): { readonly recipe: Recipe; readonly known?: Analysis } {
  if (percent === undefined) return { recipe }
  return drive(pacedRecipe(soundSource(sourceOf(sound)), recipe, percent), (share) => progress(0.1 * share))
}
