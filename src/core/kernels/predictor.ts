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

export const addPredictionErrors: AddPredictionErrors = (errors, samples, learnt) => {
  const inside = samples.length <= LARGEST ? inKernel() : undefined
  if (inside) inside(errors, samples, learnt)
  else predictionTwin(errors, samples, learnt)
}

const orderFor = (learnt: number) => Math.min(ORDER, Math.floor(learnt / SAMPLES_EACH))

export const predictionTwin: AddPredictionErrors = (errors, samples, learnt) => {
  const predictor = burg(samples, learnt, orderFor(learnt))
  const order = predictor.length
  const heard = new Float64Array(samples.subarray(learnt - order))
  // four side by side: one would wait for itself
  for (let n = 0; n < errors.length; n += 4) {
    let a = 0
    let b = 0
    let c = 0
    let d = 0
    for (let k = 0; k < order; k++) {
      const weight = predictor[order - 1 - k] as number
      a += weight * (heard[n + k] as number)
      b += weight * (heard[n + k + 1] as number)
      c += weight * (heard[n + k + 2] as number)
      d += weight * (heard[n + k + 3] as number)
    }
    const add = (at: number, predicted: number) => {
      const error = (heard[at + order] as number) - predicted
      errors[at] = (errors[at] as number) + error * error
    }
    add(n, a)
    if (n + 1 < errors.length) add(n + 1, b)
    if (n + 2 < errors.length) add(n + 2, c)
    if (n + 3 < errors.length) add(n + 3, d)
  }
}

/** Coefficients of the past samples, nearest first. */
function burg(samples: Float32Array, count: number, order: number): Float64Array {
  const forward = new Float64Array(samples.subarray(0, count))
  const back = forward.slice()
  let a = new Float64Array(0)
  if (order === 0) return a
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

/** the longest stretch, learned from and predicted together; longer ones are left to the twin */
const LARGEST = 1 << 14
/** how many errors are found together */
const TOGETHER = 8

const made = new WeakMap<Kernels, AddPredictionErrors | undefined>()

/** The same (kernels/lines.ts); undefined where there are no kernels. */
function inKernel(): AddPredictionErrors | undefined {
  const own = kernels()
  if (own && !made.has(own)) made.set(own, makeKernel(own))
  return own && made.get(own)
}

function makeKernel(own: Kernels): AddPredictionErrors | undefined {
  const [forward, back, errorsAt] = [0, 0, 0].map(() => own.take(8 * (LARGEST + ORDER + TOGETHER)))
  const [predictor, room] = [0, 0].map(() => own.take(8 * (ORDER + 2)))
  if (!forward || !back || !errorsAt || !predictor || !room) return undefined
  const { doubles } = own
  return (errors, samples, learnt) => {
    const taught = samples.subarray(0, learnt)
    doubles.set(taught, forward / 8)
    doubles.set(taught, back / 8)
    const wanted = orderFor(learnt)
    const order = wanted > 0 ? own.learn(forward, back, learnt, wanted, predictor, room) : 0
    doubles.set(samples.subarray(learnt - order), forward / 8)
    doubles.set(errors, errorsAt / 8)
    own.addErrors(forward, predictor, order, errorsAt, errors.length)
    errors.set(doubles.subarray(errorsAt / 8, errorsAt / 8 + errors.length))
  }
}
