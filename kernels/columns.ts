// Columns of two real signals that share one complex transform: windowed and packed before it, taken apart behind it.
// Twins: src/core/kernels/columns.ts.
import { audible, imaginaries, reals, reversed, squares, storeComplex } from './lanes'

/** `n` frames of two signals, windowed, as real and imaginary parts. */
export function packPair(a: usize, b: usize, window: usize, to: usize, n: i32): void {
  const end = a + ((<usize>n) << 2)
  while (a < end) {
    const w = v128.load(window)
    storeComplex(to, f32x4.mul(w, audible(v128.load(a))), f32x4.mul(w, audible(v128.load(b))))
    a += 16
    b += 16
    window += 16
    to += 32
  }
}

/** Four times the power of both signals, bins 0 … n/2: twice |Z(k)|² + |Z(n − k)|². */
export function pairPower(from: usize, to: usize, n: i32): void {
  const first = load<f32>(from) * load<f32>(from) + load<f32>(from, 4) * load<f32>(from, 4)
  store<f32>(to, 4.0 * first)
  const two = f32x4.splat(2.0)
  let up = from + 8
  let down = from + ((<usize>(n - 4)) << 3)
  let at = to + 4
  for (let k = 0; k < n >> 1; k += 4) {
    const p = squares(reals(up), imaginaries(up))
    const q = reversed(squares(reals(down), imaginaries(down)))
    v128.store(at, f32x4.mul(two, f32x4.add(p, q)))
    up += 32
    down -= 32
    at += 16
  }
}

/** Of two signals A and B, bins 0 … n/2: 4|A|², 4|B|², and 4·A·conj B, real and imaginary part. */
export function pairCross(from: usize, left: usize, right: usize, re: usize, im: usize, n: i32): void {
  // bin 0 is the sum of what is real in each
  const a0: f32 = 2.0 * load<f32>(from)
  const b0: f32 = 2.0 * load<f32>(from, 4)
  store<f32>(left, a0 * a0)
  store<f32>(right, b0 * b0)
  store<f32>(re, a0 * b0)
  store<f32>(im, 0)
  let up = from + 8
  let down = from + ((<usize>(n - 4)) << 3)
  for (let k: usize = 4; k <= (<usize>n) << 1; k += 16) {
    const pr = reals(up)
    const pi = imaginaries(up)
    const qr = reversed(reals(down))
    const qi = reversed(imaginaries(down))
    const ar = f32x4.add(pr, qr)
    const ai = f32x4.sub(pi, qi)
    const br = f32x4.add(pi, qi)
    const bi = f32x4.sub(qr, pr)
    v128.store(left + k, squares(ar, ai))
    v128.store(right + k, squares(br, bi))
    v128.store(re + k, f32x4.add(f32x4.mul(ar, br), f32x4.mul(ai, bi)))
    v128.store(im + k, f32x4.sub(f32x4.mul(ai, br), f32x4.mul(ar, bi)))
    up += 32
    down -= 32
  }
}

/** |A|² + i·|B|² of two real signals, all bins: what the inverse makes their autocorrelations of. */
export function pairSquared(from: usize, to: usize, n: i32): void {
  const a0 = load<f32>(from)
  const b0 = load<f32>(from, 4)
  store<f32>(to, a0 * a0)
  store<f32>(to, b0 * b0, 4)
  let up: usize = 8
  let down = (<usize>(n - 4)) << 3
  const quarter = f32x4.splat(0.25)
  for (let k = 0; k < n >> 1; k += 4) {
    const pr = reals(from + up)
    const pi = imaginaries(from + up)
    const qr = reversed(reals(from + down))
    const qi = reversed(imaginaries(from + down))
    const a = f32x4.mul(quarter, squares(f32x4.add(pr, qr), f32x4.sub(pi, qi)))
    const b = f32x4.mul(quarter, squares(f32x4.add(pi, qi), f32x4.sub(qr, pr)))
    storeComplex(to + up, a, b)
    storeComplex(to + down, reversed(a), reversed(b))
    up += 32
    down -= 32
  }
}
