import { slidingProducts } from './slidingProducts'
import { type Kernels, kernels } from './wasm'

/**
 * Add to `errors[n]` the squared error of predicting sample `learnt + n` from those before it, by a linear predictor
 * that the first `learnt` samples teach. `errors` has a place for all the others.
 * Source  Burg 1975, "Maximum Entropy Spectral Analysis", for the predictor.
 */
export type AddPredictionErrors = (errors: Float64Array, samples: Float32Array, learnt: number) => void

const ORDER = 24
/** so many samples have to teach each coefficient */
const SAMPLES_EACH = 8

export const addPredictionErrors: AddPredictionErrors = (errors, samples, learnt) =>
  addErrors(errors, samples, learnt, (learnt <= LARGEST ? inKernel() : undefined) ?? burgTwin)

/** The same by the twin of what learns. */
export const predictionTwin: AddPredictionErrors = (errors, samples, learnt) =>
  addErrors(errors, samples, learnt, burgTwin)

/** Coefficients of the past samples, nearest first: at most so many, fewer where nothing is left to predict. */
type Learn = (samples: Float32Array, order: number) => Float64Array

function addErrors(errors: Float64Array, samples: Float32Array, learnt: number, learn: Learn) {
  const wanted = Math.min(ORDER, Math.floor(learnt / SAMPLES_EACH))
  const predictor = wanted > 0 ? learn(samples.subarray(0, learnt), wanted) : new Float64Array(0)
  const order = predictor.length
  const predicted = new Float64Array(errors.length)
  slidingProducts(predicted, predictor.reverse(), samples.subarray(learnt - order))
  for (let n = 0; n < errors.length; n++) {
    const error = (samples[learnt + n] as number) - (predicted[n] as number)
    errors[n] = (errors[n] as number) + error * error
  }
}

const burgTwin: Learn = (samples, order) => {
  const forward = new Float64Array(samples)
  const back = forward.slice()
  let a = new Float64Array(0)
  let [cross, power] = reflect(forward, back, 0, 0)
  for (let m = 1; m <= order; m++) {
    if (power < 1e-18) break
    const k = (2 * cross) / power
    const next = new Float64Array(m)
    for (let i = 0; i < m - 1; i++) next[i] = (a[i] as number) - k * (a[m - 2 - i] as number)
    next[m - 1] = k
    a = next
    ;[cross, power] = reflect(forward, back, m, k)
  }
  return a
}

/**
 * One step of the lattice, in place. `back[i]` belongs to `forward[m + i]`. Returns, of what is behind it, Σ own ·
 * turned before, and the sum of both squared; every second sample by itself, as the kernel adds.
 */
function reflect(forward: Float64Array, back: Float64Array, m: number, k: number): readonly [number, number] {
  const cross: [number, number] = [0, 0]
  const power: [number, number] = [0, 0]
  let before = 0
  for (let i = 0; m + i < forward.length; i++) {
    const f = forward[m + i] as number
    const old = back[i] as number
    const own = f - k * old
    forward[m + i] = own
    back[i] = old - k * f
    // the first has none before it
    if (i > 0) {
      const lane = i & 1 ? 0 : 1
      cross[lane] += own * before
      power[lane] += own * own + before * before
    }
    before = back[i] as number
  }
  return [cross[0] + cross[1], power[0] + power[1]]
}

/** the longest stretch that is learned from; longer ones are left to the twin */
const LARGEST = 1 << 14

const made = new WeakMap<Kernels, Learn | undefined>()

/** The same, to the bit (kernels/lines.ts); undefined where there are no kernels. */
function inKernel(): Learn | undefined {
  const own = kernels()
  if (own && !made.has(own)) made.set(own, makeKernel(own))
  return own && made.get(own)
}

function makeKernel(own: Kernels): Learn | undefined {
  const [forward, back] = [0, 0].map(() => own.take(8 * LARGEST))
  const [predictor, room] = [0, 0].map(() => own.take(8 * (ORDER + 2)))
  if (!forward || !back || !predictor || !room) return undefined
  const { doubles } = own
  return (samples, order) => {
    doubles.set(samples, forward / 8)
    doubles.set(samples, back / 8)
    const found = own.learn(forward, back, samples.length, order, predictor, room)
    return doubles.slice(predictor / 8, predictor / 8 + found)
  }
}
