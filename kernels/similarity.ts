// Where a region is most like a template: cross-correlation of two real signals that share one complex transform, all lags at once, and
// the lag at which it is greatest for its loudness. Twin: src/core/kernels/likeness.ts.
import { audible, imaginaries, reals, reversed, storeComplex } from './lanes'

/** `n` frames of two signals as real and imaginary parts. */
export function packPlain(a: usize, b: usize, to: usize, n: i32): void {
  const end = a + ((<usize>n) << 2)
  while (a < end) {
    storeComplex(to, audible(v128.load(a)), audible(v128.load(b)))
    a += 16
    b += 16
    to += 32
  }
}

/** A · conj B of two real signals, all bins: what the inverse makes their cross-correlation of. */
export function pairProduct(from: usize, to: usize, n: i32): void {
  store<f32>(to, load<f32>(from) * load<f32>(from, 4))
  store<f32>(to, 0, 4)
  let up: usize = 8
  let down = (<usize>(n - 4)) << 3
  const quarter = f32x4.splat(0.25)
  for (let k = 0; k < n >> 1; k += 4) {
    const pr = reals(from + up)
    const pi = imaginaries(from + up)
    const qr = reversed(reals(from + down))
    const qi = reversed(imaginaries(from + down))
    const ar = f32x4.add(pr, qr)
    const ai = f32x4.sub(pi, qi)
    const br = f32x4.add(pi, qi)
    const bi = f32x4.sub(qr, pr)
    const re = f32x4.mul(quarter, f32x4.add(f32x4.mul(ar, br), f32x4.mul(ai, bi)))
    const im = f32x4.mul(quarter, f32x4.sub(f32x4.mul(ai, br), f32x4.mul(ar, bi)))
    storeComplex(to + up, re, im)
    storeComplex(to + down, reversed(re), f32x4.neg(reversed(im)))
    up += 32
    down -= 32
  }
}

// @ts-expect-error: decorator
@inline
function squareAt(at: usize): f64 {
  const value = <f64>load<f32>(at)
  // what is no number counts as silence
  return value == value ? value * value : 0
}

/**
 * The lag from 0 to `lags` at which the correlation (the real parts at `correlation`) is greatest over the root of the energy of the
 * `length` frames of the region there; −1 where it is nowhere above 1e-6. To `found` goes the square of what it is there.
 */
export function likest(correlation: usize, region: usize, length: i32, lags: i32, found: usize): i32 {
  let a: f64 = 0
  let b: f64 = 0
  let at = region
  for (let i = 0; i + 1 < length; i += 2) {
    a += squareAt(at)
    b += squareAt(at + 4)
    at += 8
  }
  if (length & 1) a += squareAt(at)
  let energy = a + b
  const ahead = (<usize>length) << 2
  let best = -1
  let bestSquare: f64 = 1e-12
  let bestEnergy: f64 = 1
  for (let lag = 0; lag <= lags; lag++) {
    const value = <f64>load<f32>(correlation)
    const own = Math.max(energy, 1e-9)
    // by products: a quotient and a root for each lag would take longer than all the rest
    if (value > 0 && value * value * bestEnergy > bestSquare * own) {
      best = lag
      bestSquare = value * value
      bestEnergy = own
    }
    energy += squareAt(region + ahead) - squareAt(region)
    correlation += 8
    region += 4
  }
  store<f64>(found, bestSquare / bestEnergy)
  return best
}
