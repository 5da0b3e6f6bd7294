// One column of Spectral drift: which partials stand clear, how loud the noise between them is, and its draw. Half spectra are
// interleaved, n/2 + 1 numbers; powers and marks have room for four more on either side. Twin: src/core/kernels/driftColumn.ts.
import { evens, odds, storeComplex } from './lanes'

/** bins on either side that are the surroundings of a bin */
const SURROUNDINGS = 12
/** how much louder or quieter, in power, a partial may have been a hop before */
const SIDE_BY_SIDE: f32 = 2

/** log₂ to 0.01 of normal positive numbers, from the exponent and a parabola over the mantissa. */
// @ts-expect-error: decorator
@inline
function roughLog2(x: v128): v128 {
  const exponent = f32x4.convert_i32x4_s(i32x4.sub(i32x4.shr_s(x, 23), i32x4.splat(127)))
  const bits = v128.and(x, i32x4.splat(0x7fffff))
  const m = f32x4.mul(f32x4.convert_i32x4_s(bits), f32x4.splat(1.0 / 8388608.0))
  const curve = f32x4.sub(f32x4.splat(1.3465553), f32x4.mul(f32x4.splat(0.3465553), m))
  return f32x4.add(exponent, f32x4.mul(m, curve))
}

// @ts-expect-error: decorator
@inline
function sumOfFour(x: v128): f32 {
  return (
    f32x4.extract_lane(x, 0) + f32x4.extract_lane(x, 1) + (f32x4.extract_lane(x, 2) + f32x4.extract_lane(x, 3))
  )
}

/** The mean of the logarithms around bin `k`; beyond the ends of `logs` there are noughts, which do not count. */
function surroundings(logs: usize, k: i32, bins: i32): f32 {
  const at = logs + ((<usize>(k - SURROUNDINGS)) << 2)
  const last = at + (SURROUNDINGS << 3)
  let sum = v128.load(at)
  for (let next = at + 16; next < last; next += 16) sum = f32x4.add(sum, v128.load(next))
  const from = max(0, k - SURROUNDINGS)
  const to = min(bins + 1, k + SURROUNDINGS + 1)
  return (sumOfFour(sum) + load<f32>(last)) / <f32>(to - from)
}

/** Whether a partial was about as loud a hop before. */
function isSteady(before: usize, stride: usize, channels: i32, k: i32, level: f32): bool {
  let old: f32 = 0
  for (let c = 0; c < channels; c++) {
    const at = before + <usize>c * stride + ((<usize>k) << 3)
    const re = load<f32>(at)
    const im = load<f32>(at, 4)
    old += re * re + im * im
  }
  return old * SIDE_BY_SIDE > level && old < level * SIDE_BY_SIDE
}

/**
 * Mark with 1 the lobes of peaks that stand out of their surroundings by `needed` (log₂ of power) and were there a hop before; 0
 * elsewhere. Returns whether there are any. `logs` has room for 16 more on either side; `before` holds its channels `stride` bytes apart.
 */
export function markClear(
  power: usize,
  logs: usize,
  clear: usize,
  before: usize,
  stride: usize,
  channels: i32,
  bins: i32,
  needed: f32,
): i32 {
  memory.fill(clear - 16, 0, ((<usize>(bins + 1)) << 2) + 32)
  const floor = f32x4.splat(1e-18)
  for (let at: usize = 0; at <= (<usize>bins) << 2; at += 16) {
    v128.store(logs + at, roughLog2(f32x4.add(v128.load(power + at), floor)))
  }
  memory.fill(logs - 64, 0, 64)
  memory.fill(logs + ((<usize>(bins + 1)) << 2), 0, 64)
  const audible = f32x4.splat(1e-14)
  let any = 0
  for (let first = 0; first < bins - 1; first += 4) {
    const at = power + ((<usize>first) << 2)
    const level = v128.load(at)
    const beside = f32x4.pmax(v128.load(at - 4), v128.load(at, 4))
    const around = f32x4.pmax(beside, f32x4.pmax(v128.load(at - 8), v128.load(at, 8)))
    let peaks = i32x4.bitmask(v128.and(f32x4.ge(level, around), f32x4.gt(level, audible)))
    while (peaks != 0) {
      const k = first + ctz(peaks)
      peaks &= peaks - 1
      if (k < 2 || k >= bins - 1) continue
      const here = (<usize>k) << 2
      if (load<f32>(logs + here) < needed + surroundings(logs, k, bins)) continue
      if (!isSteady(before, stride, channels, k, load<f32>(power + here))) continue
      // three bins on either side
      v128.store(clear + here - 12, i32x4.splat(1))
      v128.store(clear + here, i32x4.splat(1))
      any = 1
    }
  }
  return any
}

// @ts-expect-error: decorator
@inline
function powerOfFour(column: usize): v128 {
  const x0 = v128.load(column)
  const x1 = v128.load(column, 16)
  const re = evens(x0, x1)
  const im = odds(x0, x1)
  return f32x4.add(f32x4.mul(re, re), f32x4.mul(im, im))
}

/**
 * The mean power around each bin of two columns, what is clear left out: `levels[k]` of both, side by side. `sums` (pairs of doubles) and
 * `counts` are for running sums, bins + 1 + 2 × 12 and a few more; `shares` is one over each count, in doubles.
 */
export function noiseLevels(
  a: usize,
  b: usize,
  clear: usize,
  sums: usize,
  counts: usize,
  shares: usize,
  levels: usize,
  bins: i32,
): void {
  let sum = f64x2.splat(0)
  let count = 0
  for (let k = 0; k <= SURROUNDINGS; k++) {
    v128.store(sums, sum)
    store<i32>(counts, 0)
    sums += 16
    counts += 4
  }
  for (let k = 0; k <= bins; k += 4) {
    const at = (<usize>k) << 3
    const hazy = i32x4.eq(v128.load(clear + ((<usize>k) << 2)), i32x4.splat(0))
    const p = v128.and(hazy, powerOfFour(a + at))
    const q = v128.and(hazy, powerOfFour(b + at))
    const low = v128.shuffle<f32>(p, q, 0, 4, 1, 5)
    const high = v128.shuffle<f32>(p, q, 2, 6, 3, 7)
    sum = f64x2.add(sum, f64x2.promote_low_f32x4(low))
    v128.store(sums, sum)
    sum = f64x2.add(sum, f64x2.promote_low_f32x4(v128.shuffle<f32>(low, low, 2, 3, 2, 3)))
    v128.store(sums, sum, 16)
    sum = f64x2.add(sum, f64x2.promote_low_f32x4(high))
    v128.store(sums, sum, 32)
    sum = f64x2.add(sum, f64x2.promote_low_f32x4(v128.shuffle<f32>(high, high, 2, 3, 2, 3)))
    v128.store(sums, sum, 48)
    count -= i32x4.extract_lane(hazy, 0)
    store<i32>(counts, count)
    count -= i32x4.extract_lane(hazy, 1)
    store<i32>(counts, count, 4)
    count -= i32x4.extract_lane(hazy, 2)
    store<i32>(counts, count, 8)
    count -= i32x4.extract_lane(hazy, 3)
    store<i32>(counts, count, 12)
    sums += 64
    counts += 16
  }
  // beyond the last bin nothing is added: what the last four reached over is put right
  const over = 3 - (bins & 3)
  sums -= (<usize>over) << 4
  counts -= (<usize>over) << 2
  sum = v128.load(sums - 16)
  count = load<i32>(counts - 4)
  for (let k = 0; k < SURROUNDINGS; k++) {
    v128.store(sums, sum)
    store<i32>(counts, count)
    sums += 16
    counts += 4
  }
  const reach: usize = 2 * SURROUNDINGS + 1
  let from = sums - ((<usize>(bins + 1) + reach) << 4)
  let countFrom = counts - ((<usize>(bins + 1) + reach) << 2)
  for (let k = 0; k <= bins; k++) {
    const near = load<i32>(countFrom, reach << 2) - load<i32>(countFrom)
    const level = f64x2.sub(v128.load(from, reach << 4), v128.load(from))
    const share = v128.load64_splat(shares + ((<usize>near) << 3))
    v128.store64_lane(levels, f32x4.demote_f64x2_zero(f64x2.mul(level, share)), 0)
    from += 16
    countFrom += 4
    levels += 8
  }
}

// @ts-expect-error: decorator
@inline
function mix(value: v128): v128 {
  const one = i32x4.splat(1)
  let t = i32x4.mul(v128.xor(value, i32x4.shr_u(value, 15)), v128.or(value, one))
  t = v128.xor(t, i32x4.add(t, i32x4.mul(v128.xor(t, i32x4.shr_u(t, 7)), v128.or(t, i32x4.splat(61)))))
  return v128.xor(t, i32x4.shr_u(t, 14))
}

// @ts-expect-error: decorator
@inline
function turnFour(column: usize, out: usize, level: v128, hazy: v128, power: v128, cos: v128, sin: v128, fresh: v128): void {
  const x0 = v128.load(column)
  const x1 = v128.load(column, 16)
  const re = evens(x0, x1)
  const im = odds(x0, x1)
  const own = f32x4.add(f32x4.mul(re, re), f32x4.mul(im, im))
  const held = f32x4.mul(f32x4.sub(f32x4.splat(1), fresh), own)
  const wanted = f32x4.add(held, f32x4.mul(fresh, f32x4.mul(power, level)))
  const gain = v128.and(hazy, f32x4.sqrt(f32x4.div(wanted, f32x4.add(own, f32x4.splat(1e-30)))))
  const r = f32x4.mul(gain, re)
  const i = f32x4.mul(gain, im)
  storeComplex(
    out,
    f32x4.sub(f32x4.mul(r, cos), f32x4.mul(i, sin)),
    f32x4.add(f32x4.mul(r, sin), f32x4.mul(i, cos)),
  )
}

/**
 * Haze of two columns, without what is clear: each bin turned by a draw of its own, the same in both. `draws` holds cos, sin, power and
 * nothing, four numbers each, 2^(32 − `shift`) of them; which one a bin has follows from `hash` and the bin (`fillDraws` in dsp/random).
 */
export function turnHaze(
  a: usize,
  b: usize,
  clear: usize,
  levels: usize,
  draws: usize,
  hash: i32,
  shift: i32,
  fresh: f32,
  outA: usize,
  outB: usize,
  bins: i32,
): void {
  const ownHash = i32x4.splat(hash)
  const share = f32x4.splat(fresh)
  let slots = i32x4.mul(
    i32x4.add(i32x4(0, 1, 2, 3), i32x4.splat(0x165667b1)),
    i32x4.splat(0x27d4eb2f),
  )
  const step = i32x4.splat(4 * 0x27d4eb2f)
  for (let k = 0; k <= bins; k += 4) {
    const at = (<usize>k) << 3
    const which = i32x4.shl(i32x4.shr_u(mix(v128.xor(ownHash, slots)), shift), 4)
    slots = i32x4.add(slots, step)
    const d0 = v128.load(draws + <usize>(<u32>i32x4.extract_lane(which, 0)))
    const d1 = v128.load(draws + <usize>(<u32>i32x4.extract_lane(which, 1)))
    const d2 = v128.load(draws + <usize>(<u32>i32x4.extract_lane(which, 2)))
    const d3 = v128.load(draws + <usize>(<u32>i32x4.extract_lane(which, 3)))
    // (cos, sin) and (power, nothing) of all four
    const turns0 = v128.shuffle<f32>(d0, d1, 0, 4, 1, 5)
    const turns1 = v128.shuffle<f32>(d2, d3, 0, 4, 1, 5)
    const cos = v128.shuffle<f32>(turns0, turns1, 0, 1, 4, 5)
    const sin = v128.shuffle<f32>(turns0, turns1, 2, 3, 6, 7)
    const power = v128.shuffle<f32>(v128.shuffle<f32>(d0, d1, 2, 6, 2, 6), v128.shuffle<f32>(d2, d3, 2, 6, 2, 6), 0, 1, 4, 5)
    const hazy = i32x4.eq(v128.load(clear + ((<usize>k) << 2)), i32x4.splat(0))
    const l0 = v128.load(levels + at)
    const l1 = v128.load(levels + at, 16)
    turnFour(a + at, outA + at, evens(l0, l1), hazy, power, cos, sin, share)
    turnFour(b + at, outB + at, odds(l0, l1), hazy, power, cos, sin, share)
  }
}
