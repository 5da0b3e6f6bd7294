// Reading between samples: a windowed sinc from a table, two neighbouring rows blended, the blend shared by two channels.
// Twin: readInto in src/core/dsp/sinc.ts.

import { audible } from './lanes'

// @ts-ignore: decorator
@inline
function total(x: v128): f32 {
  const pairs = f32x4.add(x, v128.shuffle<f32>(x, x, 2, 3, 0, 1))
  return f32x4.extract_lane(pairs, 0) + f32x4.extract_lane(pairs, 1)
}

/** Silence what is next to nothing, in place, four frames at a time. */
export function silenceFaint(from: usize, frames: i32): void {
  const end = from + ((<usize>frames) << 2)
  while (from < end) {
    v128.store(from, audible(v128.load(from)))
    from += 16
  }
}

/**
 * Put in the place of each position where its row lies and how many bytes into the signal it begins, and its blend into `blends`. All
 * beforehand, two at a time: done one by one, reading waits for it every time.
 */
// @ts-ignore: decorator
@inline
function placePositions(
  rows: i32,
  width: i32,
  phases: i32,
  positions: usize,
  count: i32,
  blends: usize,
  hair: f64,
): void {
  const zero = f64x2.splat(0)
  const hairs = f64x2.splat(hair)
  const scale = f64x2.splat(<f64>phases)
  const last = f64x2.splat(<f64>(phases - 1))
  const sizes = i32x4(width, 4, width, 4)
  const starts = i32x4(rows, 0, rows, 0)
  const end = positions + ((<usize>count) << 3)
  while (positions < end) {
    const position = v128.load(positions)
    const base = f64x2.floor(f64x2.add(position, hairs))
    const row = f64x2.mul(f64x2.pmax(zero, f64x2.sub(position, base)), scale)
    const whole = f64x2.pmin(last, f64x2.floor(row))
    v128.store64_lane(blends, f32x4.demote_f64x2_zero(f64x2.sub(row, whole)), 0)
    const places = v128.shuffle<i32>(
      i32x4.trunc_sat_f64x2_s_zero(whole),
      i32x4.trunc_sat_f64x2_s_zero(base),
      0,
      4,
      1,
      5,
    )
    v128.store(positions, i32x4.add(starts, i32x4.mul(places, sizes)))
    positions += 16
    blends += 8
  }
}

/**
 * @param rows  table of `phases` + 1 rows of `taps` weights (a multiple of 8), single precision
 * @param a, b  two signals; `b` may be 0
 * @param positions  double precision, written over (room for an even count); the first weight of a position falls on the frame it lies on or behind
 * @param hair  what may lack to a frame to count as on it
 */
export function readPositions(
  rows: usize,
  taps: i32,
  phases: i32,
  a: usize,
  b: usize,
  positions: usize,
  count: i32,
  outA: usize,
  outB: usize,
  hair: f64,
): void {
  const width = (<usize>taps) << 2
  placePositions(<i32>rows, <i32>width, phases, positions, count, outA, hair)
  for (let n: usize = 0; n < <usize>count; n++) {
    let low = <usize>load<u32>(positions + (n << 3))
    const away = <usize>load<u32>(positions + (n << 3), 4)
    const blend = v128.load32_splat(outA + (n << 2))
    let high = low + width
    const end = high
    let x = a + away
    // two sums each: a chain of additions takes longer than what is added
    let evenA = f32x4.splat(0)
    let oddA = f32x4.splat(0)
    if (b != 0) {
      let y = b + away
      let evenB = f32x4.splat(0)
      let oddB = f32x4.splat(0)
      while (low < end) {
        const under = v128.load(low)
        const above = v128.load(low, 16)
        const even = f32x4.add(under, f32x4.mul(blend, f32x4.sub(v128.load(high), under)))
        const odd = f32x4.add(above, f32x4.mul(blend, f32x4.sub(v128.load(high, 16), above)))
        evenA = f32x4.add(evenA, f32x4.mul(even, v128.load(x)))
        evenB = f32x4.add(evenB, f32x4.mul(even, v128.load(y)))
        oddA = f32x4.add(oddA, f32x4.mul(odd, v128.load(x, 16)))
        oddB = f32x4.add(oddB, f32x4.mul(odd, v128.load(y, 16)))
        low += 32
        high += 32
        x += 32
        y += 32
      }
      store<f32>(outB + (n << 2), total(f32x4.add(evenB, oddB)))
    } else {
      while (low < end) {
        const under = v128.load(low)
        const above = v128.load(low, 16)
        const even = f32x4.add(under, f32x4.mul(blend, f32x4.sub(v128.load(high), under)))
        const odd = f32x4.add(above, f32x4.mul(blend, f32x4.sub(v128.load(high, 16), above)))
        evenA = f32x4.add(evenA, f32x4.mul(even, v128.load(x)))
        oddA = f32x4.add(oddA, f32x4.mul(odd, v128.load(x, 16)))
        low += 32
        high += 32
        x += 32
      }
    }
    store<f32>(outA + (n << 2), total(f32x4.add(evenA, oddA)))
  }
}
