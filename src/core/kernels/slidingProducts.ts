import { type Kernels, kernels } from './wasm'

type Samples = Float32Array | Float64Array

/**
 * `out[n]` = the products of `own` with what `other` has from `n` on, summed in double precision.
 * Shape  `other` has at least as many as both of the others together, less one.
 */
export type SlidingProducts = (out: Float64Array, own: Samples, other: Samples) => void

export const slidingProducts: SlidingProducts = (out, own, other) => {
  const inside = own.length + out.length <= LARGEST ? inKernel() : undefined
  if (inside) inside(out, own, other)
  else productsTwin(out, own, other)
}

/** Four side by side: what one asks for the next one has already. */
export const productsTwin: SlidingProducts = (out, own, other) => {
  for (let n = 0; n < out.length; n += 4) {
    let p = 0.0
    let q = 0.0
    let r = 0.0
    let s = 0.0
    let x = other[n] as number
    let y = other[n + 1] as number
    let z = other[n + 2] as number
    for (let i = 0; i < own.length; i++) {
      const value = own[i] as number
      const next = other[n + i + 3] as number
      p += value * x
      q += value * y
      r += value * z
      s += value * next
      x = y
      y = z
      z = next
    }
    out[n] = p
    if (n + 1 < out.length) out[n + 1] = q
    if (n + 2 < out.length) out[n + 2] = r
    if (n + 3 < out.length) out[n + 3] = s
  }
}

/** samples of both and lags, in all */
const LARGEST = 1 << 14
/** how many lags are found together */
const TOGETHER = 8

const made = new WeakMap<Kernels, SlidingProducts | undefined>()

/** The same, to the bit (kernels/lines.ts); undefined where there are no kernels. */
function inKernel(): SlidingProducts | undefined {
  const own = kernels()
  if (own && !made.has(own)) made.set(own, makeKernel(own))
  return own && made.get(own)
}

function makeKernel(own: Kernels): SlidingProducts | undefined {
  const [ownAt, otherAt, outAt] = [0, 0, 0].map(() => own.take(8 * (LARGEST + TOGETHER)))
  if (ownAt === undefined || otherAt === undefined || outAt === undefined) return undefined
  const { doubles } = own
  return (out, samples, other) => {
    doubles.set(samples, ownAt / 8)
    doubles.set(other.subarray(0, samples.length + out.length - 1), otherAt / 8)
    own.slidingProducts(ownAt, otherAt, samples.length, outAt, out.length)
    out.set(doubles.subarray(outAt / 8, outAt / 8 + out.length))
  }
}
