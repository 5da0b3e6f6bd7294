// Complex Fourier transform in single precision, powers of two from 16: Stockham, radix 4, with a last pass of radix 2 where
// the size asks for one. Inside, numbers lie in blocks of 4 real and then 4 imaginary parts, so that one pointer serves both;
// outside they are interleaved. The first pass runs over neighbouring inputs and turns what it stores, the others over
// neighbouring outputs with one factor for all four lanes. Twin: fftTwin in src/core/kernels/fft.ts.
// Source  Swarztrauber 1984, "FFT algorithms for vector computers".

import { evens, odds, storeComplex } from './lanes'

/** x·w of four complex numbers, its real part. */
// @ts-expect-error: decorator
@inline
function mulRe(re: v128, im: v128, wr: v128, wi: v128): v128 {
  return f32x4.sub(f32x4.mul(re, wr), f32x4.mul(im, wi))
}

// @ts-expect-error: decorator
@inline
function mulIm(re: v128, im: v128, wr: v128, wi: v128): v128 {
  return f32x4.add(f32x4.mul(re, wi), f32x4.mul(im, wr))
}

/** below this a number is taken for 0: what is smaller still has no full precision, and slows the processor down many times */
const TINY: f32 = 1e-28

/** Load four numbers, those next to nothing as nothing. */
// @ts-expect-error: decorator
@inline
function loadClean(from: usize): v128 {
  const x = v128.load(from)
  return v128.and(x, f32x4.gt(f32x4.abs(x), f32x4.splat(TINY)))
}

/** Rows of four vectors into columns, stored at every second vector from `to` on. */
// @ts-expect-error: decorator
@inline
function storeTurned(to: usize, a: v128, b: v128, c: v128, d: v128): void {
  const ab = v128.shuffle<f32>(a, b, 0, 4, 1, 5)
  const cd = v128.shuffle<f32>(c, d, 0, 4, 1, 5)
  const AB = v128.shuffle<f32>(a, b, 2, 6, 3, 7)
  const CD = v128.shuffle<f32>(c, d, 2, 6, 3, 7)
  v128.store(to, v128.shuffle<f32>(ab, cd, 0, 1, 4, 5))
  v128.store(to + 32, v128.shuffle<f32>(ab, cd, 2, 3, 6, 7))
  v128.store(to + 64, v128.shuffle<f32>(AB, CD, 0, 1, 4, 5))
  v128.store(to + 96, v128.shuffle<f32>(AB, CD, 2, 3, 6, 7))
}

/**
 * First pass, from interleaved numbers: four neighbouring p at a time.
 * @param twiddles  for each four p: w¹ re, im, w² re, im, w³ re, im, four lanes each.
 */
// @ts-expect-error: decorator
@inline
function firstPass(from: usize, to: usize, twiddles: usize, n: i32, swapped: bool): void {
  const quarter = (n >> 2) << 3
  const end = from + quarter
  while (from < end) {
    let x0 = loadClean(from)
    let x1 = loadClean(from + 16)
    let r = evens(x0, x1)
    let i = odds(x0, x1)
    const ar = swapped ? i : r
    const ai = swapped ? r : i
    x0 = loadClean(from + quarter)
    x1 = loadClean(from + quarter + 16)
    r = evens(x0, x1)
    i = odds(x0, x1)
    const br = swapped ? i : r
    const bi = swapped ? r : i
    x0 = loadClean(from + 2 * quarter)
    x1 = loadClean(from + 2 * quarter + 16)
    r = evens(x0, x1)
    i = odds(x0, x1)
    const cr = swapped ? i : r
    const ci = swapped ? r : i
    x0 = loadClean(from + 3 * quarter)
    x1 = loadClean(from + 3 * quarter + 16)
    r = evens(x0, x1)
    i = odds(x0, x1)
    const dr = swapped ? i : r
    const di = swapped ? r : i

    const pr = f32x4.add(ar, cr)
    const pi = f32x4.add(ai, ci)
    const mr = f32x4.sub(ar, cr)
    const mi = f32x4.sub(ai, ci)
    const qr = f32x4.add(br, dr)
    const qi = f32x4.add(bi, di)
    // i·(b − d)
    const jr = f32x4.sub(di, bi)
    const ji = f32x4.sub(br, dr)
    const y1r = f32x4.sub(mr, jr)
    const y1i = f32x4.sub(mi, ji)
    const y2r = f32x4.sub(pr, qr)
    const y2i = f32x4.sub(pi, qi)
    const y3r = f32x4.add(mr, jr)
    const y3i = f32x4.add(mi, ji)
    const w1r = v128.load(twiddles)
    const w1i = v128.load(twiddles, 16)
    const w2r = v128.load(twiddles, 32)
    const w2i = v128.load(twiddles, 48)
    const w3r = v128.load(twiddles, 64)
    const w3i = v128.load(twiddles, 80)
    storeTurned(
      to,
      f32x4.add(pr, qr),
      mulRe(y1r, y1i, w1r, w1i),
      mulRe(y2r, y2i, w2r, w2i),
      mulRe(y3r, y3i, w3r, w3i),
    )
    storeTurned(
      to + 16,
      f32x4.add(pi, qi),
      mulIm(y1r, y1i, w1r, w1i),
      mulIm(y2r, y2i, w2r, w2i),
      mulIm(y3r, y3i, w3r, w3i),
    )
    from += 32
    to += 128
    twiddles += 96
  }
}

/** A pass in the middle: `count` numbers p, `stride` numbers (a multiple of 4) that share each factor. */
function middlePass(from: usize, to: usize, twiddles: usize, count: i32, stride: i32): void {
  const row = (<usize>stride) << 3
  const quarter = row * <usize>count
  for (let p = 0; p < count; p++) {
    const w1r = v128.load32_splat(twiddles)
    const w1i = v128.load32_splat(twiddles, 4)
    const w2r = v128.load32_splat(twiddles, 8)
    const w2i = v128.load32_splat(twiddles, 12)
    const w3r = v128.load32_splat(twiddles, 16)
    const w3i = v128.load32_splat(twiddles, 20)
    twiddles += 24
    const end = from + row
    while (from < end) {
      const ar = v128.load(from)
      const ai = v128.load(from, 16)
      const br = v128.load(from + quarter)
      const bi = v128.load(from + quarter, 16)
      const cr = v128.load(from + 2 * quarter)
      const ci = v128.load(from + 2 * quarter, 16)
      const dr = v128.load(from + 3 * quarter)
      const di = v128.load(from + 3 * quarter, 16)
      const pr = f32x4.add(ar, cr)
      const pi = f32x4.add(ai, ci)
      const mr = f32x4.sub(ar, cr)
      const mi = f32x4.sub(ai, ci)
      const qr = f32x4.add(br, dr)
      const qi = f32x4.add(bi, di)
      const jr = f32x4.sub(di, bi)
      const ji = f32x4.sub(br, dr)
      const y1r = f32x4.sub(mr, jr)
      const y1i = f32x4.sub(mi, ji)
      const y2r = f32x4.sub(pr, qr)
      const y2i = f32x4.sub(pi, qi)
      const y3r = f32x4.add(mr, jr)
      const y3i = f32x4.add(mi, ji)
      v128.store(to, f32x4.add(pr, qr))
      v128.store(to, f32x4.add(pi, qi), 16)
      v128.store(to + row, mulRe(y1r, y1i, w1r, w1i))
      v128.store(to + row, mulIm(y1r, y1i, w1r, w1i), 16)
      v128.store(to + 2 * row, mulRe(y2r, y2i, w2r, w2i))
      v128.store(to + 2 * row, mulIm(y2r, y2i, w2r, w2i), 16)
      v128.store(to + 3 * row, mulRe(y3r, y3i, w3r, w3i))
      v128.store(to + 3 * row, mulIm(y3r, y3i, w3r, w3i), 16)
      from += 32
      to += 32
    }
    to += 3 * row
  }
}

/** Four numbers back to interleaved, scaled. */
// @ts-expect-error: decorator
@inline
function storeInterleaved(to: usize, re: v128, im: v128, scale: v128, swapped: bool): void {
  storeComplex(to, f32x4.mul(swapped ? im : re, scale), f32x4.mul(swapped ? re : im, scale))
}

/** Last pass of radix 4: no factors any more. */
// @ts-expect-error: decorator
@inline
function lastFour(from: usize, to: usize, n: i32, scale: v128, swapped: bool): void {
  const quarter = (<usize>(n >> 2)) << 3
  const end = from + quarter
  while (from < end) {
    const ar = v128.load(from)
    const ai = v128.load(from, 16)
    const br = v128.load(from + quarter)
    const bi = v128.load(from + quarter, 16)
    const cr = v128.load(from + 2 * quarter)
    const ci = v128.load(from + 2 * quarter, 16)
    const dr = v128.load(from + 3 * quarter)
    const di = v128.load(from + 3 * quarter, 16)
    const pr = f32x4.add(ar, cr)
    const pi = f32x4.add(ai, ci)
    const mr = f32x4.sub(ar, cr)
    const mi = f32x4.sub(ai, ci)
    const qr = f32x4.add(br, dr)
    const qi = f32x4.add(bi, di)
    const jr = f32x4.sub(di, bi)
    const ji = f32x4.sub(br, dr)
    storeInterleaved(to, f32x4.add(pr, qr), f32x4.add(pi, qi), scale, swapped)
    storeInterleaved(to + quarter, f32x4.sub(mr, jr), f32x4.sub(mi, ji), scale, swapped)
    storeInterleaved(to + 2 * quarter, f32x4.sub(pr, qr), f32x4.sub(pi, qi), scale, swapped)
    storeInterleaved(to + 3 * quarter, f32x4.add(mr, jr), f32x4.add(mi, ji), scale, swapped)
    from += 32
    to += 32
  }
}

/** Last pass of radix 2. */
// @ts-expect-error: decorator
@inline
function lastTwo(from: usize, to: usize, n: i32, scale: v128, swapped: bool): void {
  const half = (<usize>(n >> 1)) << 3
  const end = from + half
  while (from < end) {
    const ar = v128.load(from)
    const ai = v128.load(from, 16)
    const br = v128.load(from + half)
    const bi = v128.load(from + half, 16)
    storeInterleaved(to, f32x4.add(ar, br), f32x4.add(ai, bi), scale, swapped)
    storeInterleaved(to + half, f32x4.sub(ar, br), f32x4.sub(ai, bi), scale, swapped)
    from += 32
    to += 32
  }
}

// @ts-expect-error: decorator
@inline
function turn(from: usize, to: usize, work: usize, twiddles: usize, n: i32, scale: f32, swapped: bool): void {
  firstPass(from, work, twiddles, n, swapped)
  twiddles += 24 * <usize>(n >> 2)
  // between the two work areas, until no more than one factor is left
  let here = work
  let there = work + ((<usize>n) << 3)
  let stride = 4
  let left = n >> 2
  while (left > 4) {
    const count = left >> 2
    middlePass(here, there, twiddles, count, stride)
    twiddles += 24 * <usize>count
    const swap = here
    here = there
    there = swap
    stride <<= 2
    left = count
  }
  const all = f32x4.splat(scale)
  if (left == 4) lastFour(here, to, n, all, swapped)
  else lastTwo(here, to, n, all, swapped)
}

/**
 * Transform `n` interleaved numbers.
 * @param work  2 × 8n bytes
 * @param twiddles  of this size, as src/core/kernels/fft.ts lays them
 * @param inverse  1 for the inverse: the same with real and imaginary parts changed over
 */
export function fft(from: usize, to: usize, work: usize, twiddles: usize, n: i32, scale: f32, inverse: i32): void {
  if (inverse) turn(from, to, work, twiddles, n, scale, true)
  else turn(from, to, work, twiddles, n, scale, false)
}
