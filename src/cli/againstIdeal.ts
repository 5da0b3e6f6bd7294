import { finish, frameCount, freeMethods, type Recipe, readSource, renderBlock, trialTask } from '../core'
import { spectralDistance } from '../core/testing/distance'
import { AS_WRITTEN, type Ideal, type IdealItem, type Playing } from '../core/testing/ideals'
import { recipe } from '../core/testing/recipes'

/** How a table asks for an item: longer, or at another pitch; what has formants keeps them then. */
const HAS_FORMANTS = /^(voice|glide|cry|cluster)/

export const playingOf = (item: IdealItem, { stretch = 1, semitones = 0 }): Playing => ({
  ...AS_WRITTEN,
  stretch,
  semitones,
  keepFormants: semitones !== 0 && HAS_FORMANTS.test(item.id),
})

export const labelOf = ({ stretch, semitones }: Playing) =>
  semitones === 0 ? `${stretch} ×` : `${semitones > 0 ? '+' : ''}${semitones} st`

/** The ideal answer. Noise of the same seed would reward a method for copying it; a fresh playing is as good a one. */
export const idealOf = (item: IdealItem, playing: Playing): Ideal =>
  item.play({ ...playing, seed: item.kind === 'noise' ? 2 : playing.seed })

/**
 * Every method that leaves pitch and speed apart, on a source: what it makes, what is measured of that, and how far off
 * it is.
 */
export function triedOn(source: Ideal) {
  const reading = finish(readSource(source.audio))
  return ({ stretch, semitones, keepFormants }: Playing, ideal: Ideal) =>
    freeMethods.map(({ id: methodId }) => {
      const formants = keepFormants ? 'keep' : 'move'
      const made: Recipe = recipe(methodId, { stretch, pitchSemitones: semitones, formants })
      const result = renderBlock(source.audio, made)
      const span = { from: 0, to: Math.round(frameCount(source.audio) * stretch) }
      const trial = finish(trialTask(source.audio, made, span, {}, reading))
      return { methodId, result, trial, distance: spectralDistance(result, ideal.audio) }
    })
}
