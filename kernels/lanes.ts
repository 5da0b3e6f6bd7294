// What several kernels do with four complex numbers at a time.

/** what lies under −200 dB counts as silence: numbers that have no full precision any more slow the processor down many times */
const SILENCE: f32 = 1e-10

// @ts-ignore: decorator
@inline
export function audible(x: v128): v128 {
  return v128.and(x, f32x4.ge(f32x4.abs(x), f32x4.splat(SILENCE)))
}

/** Of eight numbers every second one: of four interleaved complex ones the real parts, or the imaginary ones. */
// @ts-expect-error: decorator
@inline
export function evens(a: v128, b: v128): v128 {
  return v128.shuffle<f32>(a, b, 0, 2, 4, 6)
}

// @ts-expect-error: decorator
@inline
export function odds(a: v128, b: v128): v128 {
  return v128.shuffle<f32>(a, b, 1, 3, 5, 7)
}

/** The real parts of four interleaved complex numbers. */
// @ts-expect-error: decorator
@inline
export function reals(at: usize): v128 {
  return evens(v128.load(at), v128.load(at, 16))
}

/** Their imaginary parts. Both are loaded once where nothing is stored between. */
// @ts-expect-error: decorator
@inline
export function imaginaries(at: usize): v128 {
  return odds(v128.load(at), v128.load(at, 16))
}

/** Store four complex numbers interleaved. */
// @ts-expect-error: decorator
@inline
export function storeComplex(to: usize, re: v128, im: v128): void {
  v128.store(to, v128.shuffle<f32>(re, im, 0, 4, 1, 5))
  v128.store(to, v128.shuffle<f32>(re, im, 2, 6, 3, 7), 16)
}

// @ts-expect-error: decorator
@inline
export function reversed(x: v128): v128 {
  return v128.shuffle<f32>(x, x, 3, 2, 1, 0)
}

/** re² + im² of four complex numbers. */
// @ts-expect-error: decorator
@inline
export function squares(re: v128, im: v128): v128 {
  return f32x4.add(f32x4.mul(re, re), f32x4.mul(im, im))
}

/** Store the products of four complex numbers with four others, interleaved. */
// @ts-expect-error: decorator
@inline
export function storeProduct(to: usize, ar: v128, ai: v128, br: v128, bi: v128): void {
  storeComplex(
    to,
    f32x4.sub(f32x4.mul(ar, br), f32x4.mul(ai, bi)),
    f32x4.add(f32x4.mul(ar, bi), f32x4.mul(ai, br)),
  )
}
