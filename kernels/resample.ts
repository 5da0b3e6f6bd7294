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
 * @param rows  table of `phases` + 1 rows of `taps` weights (a multiple of 4), single precision
 * @param a, b  two signals; `b` may be 0
 * @param positions  double precision; the first weight of a position falls on the frame it lies on or behind
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
  for (let n: usize = 0; n < <usize>count; n++) {
    const position = load<f64>(positions + (n << 3))
    const base = floor(position + hair)
    const row = max<f64>(0, position - base) * <f64>phases
    const whole = min<f64>(<f64>(phases - 1), floor(row))
    const blend = f32x4.splat(<f32>(row - whole))
    let low = rows + <usize>(<i32>whole) * width
    const end = low + width
    const away = <usize>(<i32>base) << 2
    let x = a + away
    let y = b + away
    let sumA = f32x4.splat(0)
    let sumB = f32x4.splat(0)
    if (b != 0) {
      while (low < end) {
        const under = v128.load(low)
        const weight = f32x4.add(under, f32x4.mul(blend, f32x4.sub(v128.load(low + width), under)))
        sumA = f32x4.add(sumA, f32x4.mul(weight, v128.load(x)))
        sumB = f32x4.add(sumB, f32x4.mul(weight, v128.load(y)))
        low += 16
        x += 16
        y += 16
      }
      store<f32>(outB + (n << 2), total(sumB))
    } else {
      while (low < end) {
        const under = v128.load(low)
        const weight = f32x4.add(under, f32x4.mul(blend, f32x4.sub(v128.load(low + width), under)))
        sumA = f32x4.add(sumA, f32x4.mul(weight, v128.load(x)))
        low += 16
        x += 16
      }
    }
    store<f32>(outA + (n << 2), total(sumA))
  }
}
