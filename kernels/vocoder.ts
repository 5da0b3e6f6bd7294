// One column of the phase-locked vocoder: from the packed spectrum of two frames to what is laid. Half spectra are interleaved,
// n/2 + 1 numbers; powers are n/2 + 1 numbers with two of silence before and behind them. Twin: src/core/kernels/vocoderColumn.ts.
import { imaginaries, reals, reversed, squares, storeComplex, storeProduct } from './lanes'

/** The half spectra of two real signals from their packed one. */
export function splitPair(from: usize, a: usize, b: usize, n: i32): void {
  store<f32>(a, load<f32>(from))
  store<f32>(a, 0, 4)
  store<f32>(b, load<f32>(from, 4))
  store<f32>(b, 0, 4)
  const half = f32x4.splat(0.5)
  let up = from + 8
  let down = from + ((<usize>(n - 4)) << 3)
  const end: usize = 8 + ((<usize>n) << 2)
  for (let at: usize = 8; at < end; at += 32) {
    const pr = reals(up)
    const pi = imaginaries(up)
    const qr = reversed(reals(down))
    const qi = reversed(imaginaries(down))
    storeComplex(a + at, f32x4.mul(half, f32x4.add(pr, qr)), f32x4.mul(half, f32x4.sub(pi, qi)))
    storeComplex(b + at, f32x4.mul(half, f32x4.add(pi, qi)), f32x4.mul(half, f32x4.sub(qr, pr)))
    up += 32
    down -= 32
  }
}

/** Add the power of a half spectrum to `power`. */
export function addPower(column: usize, power: usize, n: i32): void {
  const end = power + ((<usize>n) << 1)
  while (power < end) {
    const re = reals(column)
    const im = imaginaries(column)
    v128.store(power, f32x4.add(v128.load(power), squares(re, im)))
    column += 32
    power += 16
  }
  const re = load<f32>(column)
  const im = load<f32>(column, 4)
  store<f32>(power, load<f32>(power) + re * re + im * im)
}

/** Bins larger than the one below and no smaller than the one above. Returns how many. */
function findPeaks(power: usize, peaks: usize, bins: i32): i32 {
  let count = 0
  const none = f32x4.splat(0)
  for (let k = 0; k <= bins; k += 4) {
    const at = power + ((<usize>k) << 2)
    const level = v128.load(at)
    const below = v128.load(at - 4)
    const above = v128.load(at, 4)
    const is = v128.and(v128.and(f32x4.gt(level, below), f32x4.ge(level, above)), f32x4.gt(level, none))
    let mask = i32x4.bitmask(is)
    store<i32>(peaks + ((<usize>count) << 2), k + ctz(mask))
    count += i32(mask != 0)
    mask &= mask - 1
    store<i32>(peaks + ((<usize>count) << 2), k + ctz(mask))
    count += i32(mask != 0)
  }
  // what lies behind the last bin is no peak
  while (count > 0 && load<i32>(peaks + ((<usize>(count - 1)) << 2)) > bins) count--
  return count
}

/** Where the region of a peak ends: at the valley to the next one, which goes to the louder of both. */
function endOf(power: usize, peak: i32, next: i32): i32 {
  let valley = peak + 1
  let level = load<f32>(power + ((<usize>valley) << 2))
  for (;;) {
    const further = load<f32>(power + ((<usize>valley) << 2), 4)
    if (!(further < level)) break
    level = further
    valley++
  }
  const louder = load<f32>(power + ((<usize>peak) << 2)) > load<f32>(power + ((<usize>next) << 2))
  return louder ? valley + 1 : valley
}

/** what has less than this, in the product of two levels, says nothing */
const LEAST: f32 = 1e-18

/** What four bins of `now` were before they turned as `old` turned to `turned`, at the size of `now`, to `to`. */
// @ts-expect-error: decorator
@inline
function storeBefore(to: usize, nr: v128, ni: v128, or: v128, oi: v128, br: v128, bi: v128): void {
  const size = f32x4.add(f32x4.sqrt(f32x4.mul(squares(br, bi), squares(or, oi))), f32x4.splat(LEAST))
  const scale = f32x4.div(f32x4.splat(1), size)
  const re = f32x4.mul(scale, f32x4.add(f32x4.mul(or, br), f32x4.mul(oi, bi)))
  const im = f32x4.mul(scale, f32x4.sub(f32x4.mul(oi, br), f32x4.mul(or, bi)))
  storeProduct(to, nr, ni, re, im)
}

/**
 * What `now` was before it turned as the first of two real signals turned to the second, of which `from` is the packed
 * spectrum: at the size of `now`, to `to`. Its power is added to `power`.
 */
export function turnBack(from: usize, now: usize, to: usize, power: usize, n: i32): void {
  const product = load<f32>(from) * load<f32>(from, 4)
  const re = load<f32>(now)
  store<f32>(to, (re * product) / (abs(product) + LEAST))
  store<f32>(to, 0, 4)
  store<f32>(power, load<f32>(power) + re * re)
  const half = f32x4.splat(0.5)
  let up = from + 8
  let down = from + ((<usize>(n - 4)) << 3)
  const end: usize = 8 + ((<usize>n) << 2)
  for (let at: usize = 8; at < end; at += 32) {
    const pr = reals(up)
    const pi = imaginaries(up)
    const qr = reversed(reals(down))
    const qi = reversed(imaginaries(down))
    const nr = reals(now + at)
    const ni = imaginaries(now + at)
    storeBefore(
      to + at,
      nr,
      ni,
      f32x4.mul(half, f32x4.add(pr, qr)),
      f32x4.mul(half, f32x4.sub(pi, qi)),
      f32x4.mul(half, f32x4.add(pi, qi)),
      f32x4.mul(half, f32x4.sub(qr, pr)),
    )
    const level = power + (at >> 1)
    v128.store(level, f32x4.add(v128.load(level), squares(nr, ni)))
    up += 32
    down -= 32
  }
}

/** By what each bin of `last` is ahead of `before`, all channels together, as complex numbers, to `ahead`. */
function lookAhead(ahead: usize, last: usize, before: usize, stride: usize, channels: i32, n: i32): void {
  const end: usize = (<usize>n) << 2
  for (let at: usize = 0; at <= end; at += 32) {
    let re = f32x4.splat(0)
    let im = f32x4.splat(0)
    for (let c = 0; c < channels; c++) {
      const away = at + <usize>c * stride
      const lr = reals(last + away)
      const li = imaginaries(last + away)
      const or = reals(before + away)
      const oi = imaginaries(before + away)
      re = f32x4.add(re, f32x4.add(f32x4.mul(lr, or), f32x4.mul(li, oi)))
      im = f32x4.add(im, f32x4.sub(f32x4.mul(li, or), f32x4.mul(lr, oi)))
    }
    storeComplex(ahead + at, re, im)
  }
}

/** Each bin of `now` turned by its own of `turns`, to `out`. */
function turnAll(out: usize, now: usize, turns: usize, n: i32): void {
  const end: usize = (<usize>n) << 2
  for (let at: usize = 0; at <= end; at += 32) {
    storeProduct(out + at, reals(now + at), imaginaries(now + at), reals(turns + at), imaginaries(turns + at))
  }
}

/**
 * Turn each peak of `now` with its region so that the region goes on from `out`, where the last column that was laid
 * still stands: one turn for all channels. What `lifted` times tops `powerBefore` takes its phases as they are;
 * `lifted` 0 asks for none of that. Each of `now`, `before`, `out` holds its channels `stride` bytes apart; `turns` has
 * room for one.
 */
export function lockPhases(
  now: usize,
  before: usize,
  out: usize,
  stride: usize,
  channels: i32,
  power: usize,
  powerBefore: usize,
  peaks: usize,
  turns: usize,
  bins: i32,
  lifted: f32,
): void {
  const count = findPeaks(power, peaks, bins)
  if (count == 0) {
    for (let c = 0; c < channels; c++) memory.fill(out + <usize>c * stride, 0, (<usize>(bins + 1)) << 3)
    return
  }
  lookAhead(turns, out, before, stride, channels, bins << 1)
  let from = 0
  for (let n = 0; n < count; n++) {
    const here = peaks + ((<usize>n) << 2)
    const peak = load<i32>(here)
    const to = n + 1 < count ? endOf(power, peak, load<i32>(here, 4)) : bins + 1
    const first = turns + ((<usize>from) << 3)
    const end = turns + ((<usize>to) << 3)
    let sum = f64x2.splat(0)
    for (let at = first; at < end; at += 8) sum = f64x2.add(sum, f64x2.promote_low_f32x4(v128.load64_zero(at)))
    const re = f64x2.extract_lane(sum, 0)
    const im = f64x2.extract_lane(sum, 1)
    const size = sqrt(re * re + im * im)
    const place = (<usize>peak) << 2
    const afresh = lifted > 0 && load<f32>(power + place) > lifted * load<f32>(powerBefore + place)
    const goesOn = size > 1e-20 && !afresh
    const turn = f32x4.demote_f64x2_zero(
      goesOn ? f64x2.mul(sum, f64x2.splat(1 / size)) : f64x2.replace_lane(f64x2.splat(0), 0, 1),
    )
    for (let at = first; at < end; at += 8) v128.store64_lane(at, turn, 0)
    from = to
  }
  for (let c = 0; c < channels; c++) {
    const away = <usize>c * stride
    turnAll(out + away, now + away, turns, bins << 1)
  }
}

/** The full packed spectrum of two real signals from their half spectra. */
export function joinPair(a: usize, b: usize, to: usize, n: i32): void {
  let up = to + 8
  let down = to + ((<usize>(n - 4)) << 3)
  const end: usize = 8 + ((<usize>n) << 2)
  for (let at: usize = 8; at < end; at += 32) {
    const ar = reals(a + at)
    const ai = imaginaries(a + at)
    const br = reals(b + at)
    const bi = imaginaries(b + at)
    // the last four reach over the middle: below it they are written first, and then what belongs there lies over them
    storeComplex(down, reversed(f32x4.add(ar, bi)), reversed(f32x4.sub(br, ai)))
    storeComplex(up, f32x4.sub(ar, bi), f32x4.add(ai, br))
    up += 32
    down -= 32
  }
  // bin 0 and the top bin of a real signal have no imaginary part; what a method left there must not leak across
  store<f32>(to, load<f32>(a))
  store<f32>(to, load<f32>(b), 4)
  const middle = (<usize>n) << 2
  store<f32>(to + middle, load<f32>(a + middle))
  store<f32>(to + middle, load<f32>(b + middle), 4)
}

/** Add both parts of `n` numbers, windowed and scaled, onto two sums. */
export function layPair(from: usize, window: usize, a: usize, b: usize, n: i32, scale: f32): void {
  const s = f32x4.splat(scale)
  const end = a + ((<usize>n) << 2)
  while (a < end) {
    const w = f32x4.mul(s, v128.load(window))
    v128.store(a, f32x4.add(v128.load(a), f32x4.mul(w, reals(from))))
    v128.store(b, f32x4.add(v128.load(b), f32x4.mul(w, imaginaries(from))))
    from += 32
    window += 16
    a += 16
    b += 16
  }
}
