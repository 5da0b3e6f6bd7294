import { exp, ln } from '../dsp/portable'

/** How a rate moves over a piece: it stays, goes evenly by difference, or goes evenly by ratio. */
export type RampKind = 'line' | 'linear' | 'log'

/** A rate over a piece of `length`, from `from` at its start to `to` at its end; rates are not negative. */
export interface Ramp {
  readonly kind: RampKind
  readonly length: number
  readonly from: number
  readonly to: number
}

/** below this change the closed forms of a ramp lose more digits than they win */
const SMALL = 1e-9

/** e^x − 1 without losing small results (Kahan's form). */
function expm1(x: number): number {
  const u = exp(x)
  if (u === 1) return x
  const less = u - 1
  return less === -1 ? -1 : (less * x) / ln(u)
}

/** ln(1 + x) without losing small results (Kahan's form). */
function log1p(x: number): number {
  const u = 1 + x
  return u === 1 ? x : (ln(u) * x) / (u - 1)
}

/** The rate at `t` from the start of the piece. */
export function rampRate({ kind, length, from, to }: Ramp, t: number): number {
  if (kind === 'line' || from === to) return from
  if (kind === 'linear') return from + ((to - from) * t) / length
  return from * exp((ln(to / from) * t) / length)
}

/** The integral of the rate from the start of the piece to `t`; in closed form. */
export function rampIntegral({ kind, length, from, to }: Ramp, t: number): number {
  if (kind === 'line' || from === to) return from * t
  if (kind === 'linear') return t * (from + ((to - from) * t) / (2 * length))
  const c = ln(to / from) / length
  return Math.abs(c * length) < SMALL ? from * t : (from * expm1(c * t)) / c
}

/** The `t` at which the integral comes to `sum`; for a rate of 0 throughout it is 0. */
export function rampInverse({ kind, length, from, to }: Ramp, sum: number): number {
  if (kind === 'line' || from === to) return from === 0 ? 0 : sum / from
  if (kind === 'linear') {
    const k = (to - from) / length
    const root = Math.sqrt(Math.max(0, from * from + 2 * k * sum))
    return from + root === 0 ? 0 : (2 * sum) / (from + root)
  }
  const c = ln(to / from) / length
  return Math.abs(c * length) < SMALL ? sum / from : log1p((sum * c) / from) / c
}

/**
 * The rate at the end of a piece whose rate starts at `from` and has the mean `mean`.
 * @returns undefined where no rate that stays above (`log`) or at least at (`linear`) 0 does it.
 */
export function rampEnd(kind: RampKind, from: number, mean: number): number | undefined {
  if (kind === 'line') return mean
  if (kind === 'linear') {
    const to = 2 * mean - from
    return to >= 0 ? to : undefined
  }
  if (!(from > 0 && mean > 0)) return undefined
  // (r − 1) / ln r = mean / from rises with r, and with ln r without bend enough to trouble a bisection
  const wanted = mean / from
  let low = -700
  let high = 700
  for (let round = 0; round < 100; round++) {
    const middle = (low + high) / 2
    const value = Math.abs(middle) < SMALL ? 1 : expm1(middle) / middle
    if (value < wanted) low = middle
    else high = middle
  }
  return from * exp((low + high) / 2)
}
