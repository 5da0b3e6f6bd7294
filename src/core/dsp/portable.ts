/**
 * Functions whose results are the same to the last bit on every engine.
 *
 * The language leaves sine, exponential and the like to each engine, and engines do differ in the last bit; a render has
 * to be the same bytes in a browser and on a server. So what shapes samples is built here from +, −, ×, ÷ and the square
 * root alone, which IEEE 754 fixes. Accuracy is within 2 units in the last place (checked against the engine's own).
 */

const TAU = 6.283185307179586
const LN2 = Math.LN2
const INV_LN2 = Math.LOG2E

/** x²: the power operator is left to each engine even for this. */
export const square = (x: number): number => x * x

/** Sine of `turns` full circles: exact at quarters. */
export function sinTurns(turns: number): number {
  let t = turns - Math.floor(turns)
  // into −1/8 … 1/8 by symmetries that cost no precision
  let sign = 1
  if (t >= 0.5) {
    t -= 0.5
    sign = -1
  }
  if (t > 0.25) t = 0.5 - t
  return sign * (t <= 0.125 ? sineSeries(t * TAU) : cosineSeries((0.25 - t) * TAU))
}

export function cosTurns(turns: number): number {
  let t = turns - Math.floor(turns)
  if (t > 0.5) t = 1 - t
  let sign = 1
  if (t > 0.25) {
    t = 0.5 - t
    sign = -1
  }
  return sign * (t <= 0.125 ? cosineSeries(t * TAU) : sineSeries((0.25 - t) * TAU))
}

/** Taylor, |x| ≤ π/4: the first term left out is below 2⁻⁵⁶. */
function sineSeries(x: number): number {
  const y = x * x
  return (
    x *
    (1 -
      (y / 6) *
        (1 -
          (y / 20) *
            (1 - (y / 42) * (1 - (y / 72) * (1 - (y / 110) * (1 - (y / 156) * (1 - (y / 210) * (1 - y / 272))))))))
  )
}

function cosineSeries(x: number): number {
  const y = x * x
  return (
    1 -
    (y / 2) *
      (1 -
        (y / 12) * (1 - (y / 30) * (1 - (y / 56) * (1 - (y / 90) * (1 - (y / 132) * (1 - (y / 182) * (1 - y / 240)))))))
  )
}

const bits = new DataView(new ArrayBuffer(8))

/** 2 to a whole power, exactly. */
function wholePowerOfTwo(power: number): number {
  if (power < -1022) return wholePowerOfTwo(power + 512) * 2 ** -512
  if (power > 1023) return Number.POSITIVE_INFINITY
  bits.setUint32(0, (power + 1023) << 20)
  bits.setUint32(4, 0)
  return bits.getFloat64(0)
}

/** 2 to the power of x. */
export function exp2(x: number): number {
  if (!(x > -1060)) return Number.isNaN(x) ? Number.NaN : 0
  if (x > 1024) return Number.POSITIVE_INFINITY
  const whole = Math.round(x)
  const y = (x - whole) * LN2
  // Taylor of e^y, |y| ≤ 0.35, by Horner
  let sum = 1
  for (let n = 14; n > 0; n--) sum = 1 + (y / n) * sum
  return sum * wholePowerOfTwo(whole)
}

export function exp(x: number): number {
  return exp2(x * INV_LN2)
}

/** Natural logarithm of a positive number; −Infinity for 0. */
export function ln(x: number): number {
  if (!(x > 0)) return x === 0 ? Number.NEGATIVE_INFINITY : Number.NaN
  if (x < 1e-300) return ln(x * 1e100) - 230.25850929940458
  bits.setFloat64(0, x)
  const high = bits.getUint32(0)
  let power = (high >>> 20) - 1023
  bits.setUint32(0, (high & 0xfffff) | (1023 << 20))
  let m = bits.getFloat64(0)
  if (m > Math.SQRT2) {
    m /= 2
    power++
  }
  // ln m = 2 artanh((m−1)/(m+1)), |argument| ≤ 0.172
  const z = (m - 1) / (m + 1)
  const y = z * z
  let sum = 0
  for (let n = 21; n > 0; n -= 2) sum = sum * y + 1 / n
  return power * LN2 + 2 * z * sum
}

export function log2(x: number): number {
  return ln(x) * INV_LN2
}

/** A positive number to any power. */
export function power(base: number, exponent: number): number {
  return exp2(log2(base) * exponent)
}
