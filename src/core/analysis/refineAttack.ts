import type { AudioBlock } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { ln } from '../dsp/portable'

const BEFORE_SECONDS = 0.03
const SEARCH_BEFORE_SECONDS = 0.022
const SEARCH_BEHIND_SECONDS = 0.026
const ORDER = 24
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
 * Source  Basseville & Nikiforov 1993, "Detection of Abrupt Changes", 2.6 (two-variance likelihood); Burg 1975 for the
 *         predictor.
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
  for (const channel of source.part(learnFrom, to).channels)
    addErrors(channel, 0, from - learnFrom, to - learnFrom, errors)

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

/** Add the squared error of predicting `from…to` from what `learnFrom…from` taught. */
function addErrors(samples: Float32Array, learnFrom: number, from: number, to: number, errors: Float64Array) {
  const learnt = from - learnFrom
  const order = Math.min(ORDER, learnt >> 3)
  const predictor = order > 0 ? burg(samples, learnFrom, from, order) : new Float64Array(0)
  // before its first sample a sound is silent
  const first = from - predictor.length
  const heard = new Float64Array(to - first)
  const missing = Math.max(0, -first)
  heard.set(samples.subarray(first + missing, to), missing)
  addPredictionErrors(heard, predictor.reverse(), errors)
}

/**
 * `errors[n]` += the squared difference of `samples[order + n]` from what the `order` samples before it, oldest first, predict. Four
 * sums side by side: one would wait for itself.
 */
function addPredictionErrors(samples: Float64Array, predictor: Float64Array, errors: Float64Array) {
  const order = predictor.length
  for (let n = 0; n + order < samples.length; n++) {
    let a = 0
    let b = 0
    let c = 0
    let d = 0
    let k = 0
    for (; k + 3 < order; k += 4) {
      a += (predictor[k] as number) * (samples[n + k] as number)
      b += (predictor[k + 1] as number) * (samples[n + k + 1] as number)
      c += (predictor[k + 2] as number) * (samples[n + k + 2] as number)
      d += (predictor[k + 3] as number) * (samples[n + k + 3] as number)
    }
    for (; k < order; k++) a += (predictor[k] as number) * (samples[n + k] as number)
    const error = (samples[n + order] as number) - (a + b + (c + d))
    errors[n] = (errors[n] as number) + error * error
  }
}

/** Burg's predictor: coefficients of the past samples, nearest first. */
function burg(samples: Float32Array, from: number, to: number, order: number): Float64Array {
  const forward = new Float64Array(samples.subarray(from, to))
  const backward = forward.slice()
  let a = new Float64Array(0)
  const sums = new Float64Array(2)
  reflect(forward, backward, 0, 0, sums)
  for (let m = 1; m <= order; m++) {
    const [cross, power] = sums as unknown as [number, number]
    if (power < 1e-18) break
    const k = (2 * cross) / power
    const next = new Float64Array(m)
    for (let i = 0; i < m - 1; i++) next[i] = (a[i] as number) - k * (a[m - 2 - i] as number)
    next[m - 1] = k
    a = next
    reflect(forward, backward, m, k, sums)
  }
  return a
}

/**
 * One step of the lattice, in place, from `m` on; into `sums`, of what is behind it, Σ forward[n] · backward[n − 1] and the sum of
 * both squared.
 */
function reflect(forward: Float64Array, backward: Float64Array, m: number, k: number, sums: Float64Array) {
  let cross = 0
  let power = 0
  let old = m > 0 ? (backward[m - 1] as number) : 0
  let before = 0
  for (let n = m; n < forward.length; n++) {
    const f = forward[n] as number
    const own = f - k * old
    const turned = old - k * f
    old = backward[n] as number
    forward[n] = own
    if (m > 0) backward[n] = turned
    // the first has none before it
    if (n > m) {
      cross += own * before
      power += own * own + before * before
    }
    before = m > 0 ? turned : old
  }
  sums[0] = cross
  sums[1] = power
}
