// What follows a signal sample by sample, in double precision: a predictor learned from it, and sums of products
// with all stretches of a line.
// Twins add up in the same order: src/core/kernels/predictor.ts and slidingProducts.ts.

/**
 * One step of Burg's lattice, in place. `back[i]` belongs to `forward[m + i]`, so that nothing has to be moved. To
 * `sums`: of what is behind it, Σ own · turned before, and the sum of both squared.
 */
function reflect(forward: usize, back: usize, left: i32, k: f64, sums: usize): void {
  const factor = f64x2.splat(k)
  let cross = f64x2.splat(0)
  let power = f64x2.splat(0)
  const f = load<f64>(forward)
  const old = load<f64>(back)
  store<f64>(forward, f - k * old)
  store<f64>(back, old - k * f)
  let before = f64x2.splat(old - k * f)
  let i = 1
  for (; i + 1 < left; i += 2) {
    forward += i == 1 ? 8 : 16
    back += i == 1 ? 8 : 16
    const a = v128.load(forward)
    const b = v128.load(back)
    const own = f64x2.sub(a, f64x2.mul(factor, b))
    const turned = f64x2.sub(b, f64x2.mul(factor, a))
    v128.store(forward, own)
    v128.store(back, turned)
    const beside = v128.shuffle<f64>(before, turned, 1, 2)
    cross = f64x2.add(cross, f64x2.mul(own, beside))
    power = f64x2.add(power, f64x2.add(f64x2.mul(own, own), f64x2.mul(beside, beside)))
    before = turned
  }
  let crossed = f64x2.extract_lane(cross, 0)
  let powered = f64x2.extract_lane(power, 0)
  if (i < left) {
    forward += i == 1 ? 8 : 16
    back += i == 1 ? 8 : 16
    const a = load<f64>(forward)
    const b = load<f64>(back)
    const own = a - k * b
    const beside = f64x2.extract_lane(before, 1)
    store<f64>(forward, own)
    store<f64>(back, b - k * a)
    crossed += own * beside
    powered += own * own + beside * beside
  }
  store<f64>(sums, crossed + f64x2.extract_lane(cross, 1))
  store<f64>(sums, powered + f64x2.extract_lane(power, 1), 8)
}

/**
 * Burg's predictor of `count` samples at `forward`, which are written over, as their copy at `back` is. To `out` its
 * coefficients, nearest sample first. Returns how many: fewer than `order` where nothing is left to predict. `room`:
 * as many again, and two sums.
 */
export function learn(forward: usize, back: usize, count: i32, order: i32, out: usize, room: usize): i32 {
  const sums = room
  const last = room + 16
  reflect(forward, back, count, 0, sums)
  for (let m = 1; m <= order; m++) {
    const power = load<f64>(sums, 8)
    if (power < 1e-18) return m - 1
    const k = (2.0 * load<f64>(sums)) / power
    memory.copy(last, out, <usize>(m - 1) << 3)
    for (let i = 0; i < m - 1; i++) {
      const own = load<f64>(last + ((<usize>i) << 3))
      store<f64>(out + ((<usize>i) << 3), own - k * load<f64>(last + ((<usize>(m - 2 - i)) << 3)))
    }
    store<f64>(out + ((<usize>(m - 1)) << 3), k)
    reflect(forward + ((<usize>m) << 3), back, count - m, k, sums)
  }
  return order
}

/** `out[n]` = Σ own[i] · other[n + i] over `count` samples, for `lags` of them; up to seven more are written. */
export function slidingProducts(own: usize, other: usize, count: i32, out: usize, lags: i32): void {
  const end = out + ((<usize>lags) << 3)
  const last = own + ((<usize>count) << 3)
  while (out < end) {
    let a = f64x2.splat(0)
    let b = f64x2.splat(0)
    let c = f64x2.splat(0)
    let d = f64x2.splat(0)
    let at = other
    for (let from = own; from < last; from += 8) {
      const weight = v128.load64_splat(from)
      a = f64x2.add(a, f64x2.mul(weight, v128.load(at)))
      b = f64x2.add(b, f64x2.mul(weight, v128.load(at, 16)))
      c = f64x2.add(c, f64x2.mul(weight, v128.load(at, 32)))
      d = f64x2.add(d, f64x2.mul(weight, v128.load(at, 48)))
      at += 8
    }
    v128.store(out, a)
    v128.store(out, b, 16)
    v128.store(out, c, 32)
    v128.store(out, d, 48)
    other += 64
    out += 64
  }
}
