import type { AudioBlock } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { ln } from '../dsp/portable'
import { addPredictionErrors } from '../kernels/predictor'

const BEFORE_SECONDS = 0.03
const SEARCH_BEFORE_SECONDS = 0.022
const SEARCH_BEHIND_SECONDS = 0.026
/** the shortest stretch that counts as one side of a change */
const LEAST_SECONDS = 0.0012
/** over how long the rise behind an attack is taken */
const RISE_SECONDS = 0.006
/** samples of noise this far below the loudest near by keep silence from being infinitely quiet, squared */
const FLOOR_SQUARED = 1e-8
/** share of the mean error that the first millisecond of a sound has when it is there at once */
const STARTS_AT_ONCE = 0.1

/**
 * The frame at which something new starts near `frame`. What went on before is predicted by a linear predictor learned from
 * it; the attack is where the error of prediction changes its variance most, by likelihood. So a drum under a chord is found
 * by its own first sample and not by when it drowns the chord.
 *
 * @returns the frame, and how many times the error's power behind it is that before it; undefined where nothing is.
 * Source  Basseville & Nikiforov 1993, "Detection of Abrupt Changes", 2.6 (two-variance likelihood).
 */
export function refineAttack(
  sound: AudioBlock | SoundSource,
  frame: number,
): { frame: number; rise: number } | undefined {
  const source = soundSource(sound)
  const { sampleRate, frames } = source
  const from = Math.max(0, frame - Math.round(SEARCH_BEFORE_SECONDS * sampleRate))
  const to = Math.min(frames, frame + Math.round(SEARCH_BEHIND_SECONDS * sampleRate))
  const learnFrom = Math.max(0, from - Math.round(BEFORE_SECONDS * sampleRate))
  const count = to - from
  if (count < 16) return undefined
  const errors = new Float64Array(count)
  for (const channel of source.part(learnFrom, to).channels) addPredictionErrors(errors, channel, from - learnFrom)

  let loudest = 0
  for (const value of errors) loudest = Math.max(loudest, value)
  if (loudest === 0) return undefined
  const floor = loudest * FLOOR_SQUARED
  const least = Math.max(4, Math.round(LEAST_SECONDS * sampleRate))
  let total = 0
  for (const value of errors) total += value + floor
  if (from === 0) {
    // a sound that is there from its first frame has its attack there
    let first = 0
    for (let n = 0; n < least; n++) first += errors[n] as number
    if (first / least > (STARTS_AT_ONCE * total) / count) return { frame: 0, rise: Number.POSITIVE_INFINITY }
  }
  let left = 0
  let best = 0
  let bestGain = Number.NEGATIVE_INFINITY
  const whole = count * ln(total / count)
  for (let n = 0; n < count - least; n++) {
    if (n >= least) {
      const before = left / n
      const behind = (total - left) / (count - n)
      if (behind > before) {
        const gain = whole - n * ln(before) - (count - n) * ln(behind)
        if (gain > bestGain) {
          bestGain = gain
          best = n
        }
      }
    }
    left += (errors[n] as number) + floor
  }
  if (bestGain === Number.NEGATIVE_INFINITY) return undefined
  const near = Math.min(count, best + Math.round(RISE_SECONDS * sampleRate))
  let before = 0
  let behind = 0
  for (let n = 0; n < best; n++) before += errors[n] as number
  for (let n = best; n < near; n++) behind += errors[n] as number
  return { frame: from + best, rise: behind / (near - best) / (before / best + floor) }
}
