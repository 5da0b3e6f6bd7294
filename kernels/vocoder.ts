// One column of the phase-locked vocoder: from the packed spectrum of two frames to what is laid. Half spectra are interleaved,
// n/2 + 1 numbers; powers are n/2 + 1 numbers with two of silence before and behind them. Twin: src/core/kernels/vocoderColumn.ts.
import { evens, odds, reversed, storeComplex } from './lanes'

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
    const p0 = v128.load(up)
    const p1 = v128.load(up, 16)
    const q0 = v128.load(down)
    const q1 = v128.load(down, 16)
    const pr = evens(p0, p1)
    const pi = odds(p0, p1)
    const qr = reversed(evens(q0, q1))
    const qi = reversed(odds(q0, q1))
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
    const x0 = v128.load(column)
    const x1 = v128.load(column, 16)
    const re = evens(x0, x1)
    const im = odds(x0, x1)
    v128.store(power, f32x4.add(v128.load(power), f32x4.add(f32x4.mul(re, re), f32x4.mul(im, im))))
    column += 32
    power += 16
  }
  const re = load<f32>(column)
  const im = load<f32>(column, 4)
  store<f32>(power, load<f32>(power) + re * re + im * im)
}

/** Bins larger than the two below and no smaller than the two above; two of them lie three bins apart at least. Returns how many. */
function findPeaks(power: usize, peaks: usize, bins: i32): i32 {
  let count = 0
  const none = f32x4.splat(0)
  for (let k = 0; k <= bins; k += 4) {
    const at = power + ((<usize>k) << 2)
    const level = v128.load(at)
    const below = f32x4.pmax(v128.load(at - 4), v128.load(at - 8))
    const above = f32x4.pmax(v128.load(at, 4), v128.load(at, 8))
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

/** Numbers of `now` from `from` to `to`, turned. */
function turnRegion(out: usize, now: usize, from: i32, to: i32, re: f32, im: f32): void {
  const r = f32x4.splat(re)
  const i = f32x4.replace_lane(f32x4.replace_lane(f32x4.splat(im), 0, -im), 2, -im)
  let at = (<usize>from) << 3
  const end = (<usize>to) << 3
  while (at + 16 <= end) {
    const x = v128.load(now + at)
    const crossed = v128.shuffle<f32>(x, x, 1, 0, 3, 2)
    v128.store(out + at, f32x4.add(f32x4.mul(x, r), f32x4.mul(crossed, i)))
    at += 16
  }
  if (at < end) {
    const x = load<f32>(now + at)
    const y = load<f32>(now + at, 4)
    store<f32>(out + at, x * re - y * im)
    store<f32>(out + at, y * re + x * im, 4)
  }
}

/**
 * Turn each peak of `now` with its region so that it goes on from `out`, where the last column that was laid still stands: one turn
 * for all channels. What `lifted` times tops `powerBefore` takes its phases as they are; `lifted` 0 asks for none of that.
 * Each of `now`, `before`, `out` holds its channels `stride` bytes apart.
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
  bins: i32,
  lifted: f32,
): void {
  const count = findPeaks(power, peaks, bins)
  if (count == 0) {
    for (let c = 0; c < channels; c++) memory.fill(out + <usize>c * stride, 0, (<usize>(bins + 1)) << 3)
    return
  }
  let from = 0
  for (let n = 0; n < count; n++) {
    const here = peaks + ((<usize>n) << 2)
    const peak = load<i32>(here)
    const to = n + 1 < count ? ((peak + load<i32>(here, 4)) >> 1) + 1 : bins + 1
    const at = (<usize>peak) << 3
    let re: f64 = 0
    let im: f64 = 0
    const afresh =
      lifted > 0 &&
      load<f32>(power + ((<usize>peak) << 2)) > lifted * load<f32>(powerBefore + ((<usize>peak) << 2))
    if (!afresh) {
      for (let c = 0; c < channels; c++) {
        const away = at + <usize>c * stride
        const lr = <f64>load<f32>(out + away)
        const li = <f64>load<f32>(out + away, 4)
        const or = <f64>load<f32>(before + away)
        const oi = <f64>load<f32>(before + away, 4)
        re += lr * or + li * oi
        im += li * or - lr * oi
      }
    }
    const size = sqrt(re * re + im * im)
    const goesOn = size > 1e-20
    const turnRe = goesOn ? <f32>(re / size) : <f32>1
    const turnIm = goesOn ? <f32>(im / size) : <f32>0
    for (let c = 0; c < channels; c++) {
      const away = <usize>c * stride
      turnRegion(out + away, now + away, from, to, turnRe, turnIm)
    }
    from = to
  }
}

/** The full packed spectrum of two real signals from their half spectra. */
export function joinPair(a: usize, b: usize, to: usize, n: i32): void {
  let up = to + 8
  let down = to + ((<usize>(n - 4)) << 3)
  const end: usize = 8 + ((<usize>n) << 2)
  for (let at: usize = 8; at < end; at += 32) {
    const a0 = v128.load(a + at)
    const a1 = v128.load(a + at, 16)
    const b0 = v128.load(b + at)
    const b1 = v128.load(b + at, 16)
    const ar = evens(a0, a1)
    const ai = odds(a0, a1)
    const br = evens(b0, b1)
    const bi = odds(b0, b1)
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
    const x0 = v128.load(from)
    const x1 = v128.load(from, 16)
    const w = f32x4.mul(s, v128.load(window))
    v128.store(a, f32x4.add(v128.load(a), f32x4.mul(w, evens(x0, x1))))
    v128.store(b, f32x4.add(v128.load(b), f32x4.mul(w, odds(x0, x1))))
    from += 32
    window += 16
    a += 16
    b += 16
  }
}
