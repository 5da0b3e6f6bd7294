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
  let sum = y * (1 / 355_687_428_096_000) - 1 / 1_307_674_368_000
  sum = sum * y + 1 / 6_227_020_800
  sum = sum * y - 1 / 39_916_800
  sum = sum * y + 1 / 362_880
  sum = sum * y - 1 / 5_040
  sum = sum * y + 1 / 120
  sum = sum * y - 1 / 6
  return x + x * (sum * y)
}

function cosineSeries(x: number): number {
  const y = x * x
  let sum = y * (1 / 20_922_789_888_000) - 1 / 87_178_291_200
  sum = sum * y + 1 / 479_001_600
  sum = sum * y - 1 / 3_628_800
  sum = sum * y + 1 / 40_320
  sum = sum * y - 1 / 720
  sum = sum * y + 1 / 24
  sum = sum * y - 0.5
  return 1 + sum * y
}

const number = new Float64Array(1)
const halves = new Uint32Array(number.buffer)
/** where the half with the exponent lies */
const HIGH = new Uint8Array(new Uint32Array([1]).buffer)[0] === 1 ? 1 : 0

/** 2 to the whole powers from −1074 to 1023, exactly */
const LEAST_POWER = -1074
const powersOfTwo = new Float64Array(1023 - LEAST_POWER + 1)
for (let power = 0, value = 1; power <= 1023; power++, value *= 2) powersOfTwo[power - LEAST_POWER] = value
for (let power = -1, value = 0.5; power >= LEAST_POWER; power--, value /= 2) powersOfTwo[power - LEAST_POWER] = value

/** 2 to a whole power, exactly. */
const wholePowerOfTwo = (power: number) =>
  power > 1023 ? Number.POSITIVE_INFINITY : power < LEAST_POWER ? 0 : (powersOfTwo[power - LEAST_POWER] as number)

/** 2 to the power of x. */
export function exp2(x: number): number {
  if (!(x > -1060)) return Number.isNaN(x) ? Number.NaN : 0
  if (x > 1024) return Number.POSITIVE_INFINITY
  const whole = Math.floor(x + 0.5)
  const y = (x - whole) * LN2
  // Taylor of e^y, |y| ≤ 0.35, even and odd terms by themselves, so that neither waits for the other
  const z = y * y
  let even = z * (1 / 87_178_291_200) + 1 / 479_001_600
  let odd = z * (1 / 6_227_020_800) + 1 / 39_916_800
  even = even * z + 1 / 3_628_800
  odd = odd * z + 1 / 362_880
  even = even * z + 1 / 40_320
  odd = odd * z + 1 / 5_040
  even = even * z + 1 / 720
  odd = odd * z + 1 / 120
  even = even * z + 1 / 24
  odd = odd * z + 1 / 6
  even = even * z + 0.5
  return (even * z + 1 + y * (odd * z + 1)) * wholePowerOfTwo(whole)
}

export function exp(x: number): number {
  return exp2(x * INV_LN2)
}

/** Natural logarithm of a positive number; −Infinity for 0. */
export function ln(x: number): number {
  if (!(x > 0)) return x === 0 ? Number.NEGATIVE_INFINITY : Number.NaN
  if (x < 1e-300) return ln(x * 1e100) - 230.25850929940458
  number[0] = x
  let power = ((halves[HIGH] as number) >>> 20) - 1023
  let m = x * (powersOfTwo[-power - LEAST_POWER] as number)
  if (m > Math.SQRT2) {
    m /= 2
    power++
  }
  // ln m = 2 artanh((m−1)/(m+1)), |argument| ≤ 0.172
  const z = (m - 1) / (m + 1)
  const y = z * z
  let sum = y * (1 / 21) + 1 / 19
  sum = sum * y + 1 / 17
  sum = sum * y + 1 / 15
  sum = sum * y + 1 / 13
  sum = sum * y + 1 / 11
  sum = sum * y + 1 / 9
  sum = sum * y + 1 / 7
  sum = sum * y + 1 / 5
  sum = sum * y + 1 / 3
  return power * LN2 + 2 * z * (sum * y + 1)
}

/** what the first ten bits of a mantissa stand for: the middle of their range, one over it, and its logarithm */
const STEPS = 1024
const middles = Float64Array.from({ length: STEPS }, (_, i) => 1 + (i + 0.5) / STEPS)
const overMiddles = middles.map((middle) => 1 / middle)
const middleLogs = middles.map(ln)

/**
 * Natural logarithms of positive single-precision numbers (normal ones), in place, as exactly as those can hold them: several times as
 * fast as one by one.
 */
export function lnInPlace(values: Float32Array): void {
  const bits = new Int32Array(values.buffer, values.byteOffset, values.length)
  for (let i = 0; i < values.length; i++) {
    const pattern = bits[i] as number
    const step = (pattern >> 13) & (STEPS - 1)
    const mantissa = 1 + (pattern & 0x7fffff) / 0x800000
    // ln(1 + x), |x| < 2⁻¹¹
    const x = mantissa * (overMiddles[step] as number) - 1
    values[i] = ((pattern >> 23) - 127) * LN2 + ((middleLogs[step] as number) + x - 0.5 * x * x)
  }
}

export function log2(x: number): number {
  return ln(x) * INV_LN2
}

/** A positive number to any power. */
export function power(base: number, exponent: number): number {
  return exp2(log2(base) * exponent)
}
