import { type Analysis, analyseTask } from '../analysis/analysis'
import type { AudioBlock } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import type { Task } from '../task'
import { givingTask, pacedSpeed } from '../timing/pacing'
import { timingMap } from '../timing/timing'
import type { Recipe } from './recipe'

/**
 * A recipe with its speed paced to a sound: as long as without, to the frame. Nothing that has a speed curve, or a map
 * by hand.
 * @param percent  0–100.
 */
export function* pacedRecipe(
  sound: AudioBlock | SoundSource,
  recipe: Recipe,
  percent: number,
): Task<{ readonly recipe: Recipe; readonly known: Analysis }> {
  const source = soundSource(sound)
  const { frames, sampleRate } = source
  const known = yield* analyseTask(sound, ['attacks', 'pitch'])
  const giving = yield* givingTask(source, known)
  const points = pacedSpeed(giving, frames / sampleRate, recipe.stretch, percent)
  if (points.length === 0) return { recipe, known }
  const speedCurve = { points }
  // where speeds come to the ends of their range a curve has not the whole length: that is made up for
  const own = timingMap({ speedCurve }, frames, sampleRate).length
  const stretch = own === frames ? recipe.stretch : (recipe.stretch * frames) / own
  return { recipe: { ...recipe, speedCurve, stretch }, known }
}
