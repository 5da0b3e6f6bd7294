import FFT from 'fft.js'
import { cosTurns, sinTurns } from './portable'

/** Interleaved complex numbers: re, im, re, im … A plain array, because the kernel is fastest on it. */
export type ComplexArray = number[]

/**
 * A complex Fourier transform of one size (a power of two from 2): `forward` is unscaled, `inverse` divides by the
 * size, so the two undo each other. Input and output must be different arrays, each `[2 × size]`.
 */
export interface ComplexFft {
  readonly size: number
  create(): ComplexArray
  forward(out: ComplexArray, input: ComplexArray): void
  inverse(out: ComplexArray, input: ComplexArray): void
}

const made = new Map<number, ComplexFft>()

/** @throws {RangeError} if `size` is not a power of two from 2. */
export function complexFft(size: number): ComplexFft {
  const known = made.get(size)
  if (known) return known
  if (size < 2 || (size & (size - 1)) !== 0) {
    throw new RangeError(`complexFft: size must be a power of two, got ${size}`)
  }
  const kernel = new FFT(size)
  // the library asks the engine for its factors, and engines differ in the last bit: it gets ours
  const { table } = kernel as unknown as { table: number[] }
  for (let i = 0; i < table.length; i += 2) {
    table[i] = cosTurns(i / (2 * size))
    table[i + 1] = -sinTurns(i / (2 * size))
  }
  const fft: ComplexFft = {
    size,
    create: () => new Array<number>(2 * size).fill(0),
    forward: (out, input) => kernel.transform(out, input),
    inverse: (out, input) => kernel.inverseTransform(out, input),
  }
  made.set(size, fft)
  return fft
}

/**
 * Take apart the spectrum of `a + i·b` for two real signals: bins 0…size/2 of A and of B, interleaved, `[size + 2]`
 * each. One complex transform thus serves two real ones.
 */
export function splitRealPair(packed: ComplexArray, size: number, a: Float64Array, b: Float64Array): void {
  for (let k = 0; k <= size / 2; k++) {
    const m = (size - k) % size
    const pr = packed[2 * k] as number
    const pi = packed[2 * k + 1] as number
    const qr = packed[2 * m] as number
    const qi = packed[2 * m + 1] as number
    a[2 * k] = 0.5 * (pr + qr)
    a[2 * k + 1] = 0.5 * (pi - qi)
    b[2 * k] = 0.5 * (pi + qi)
    b[2 * k + 1] = 0.5 * (qr - pr)
  }
}

/** The reverse: the full packed spectrum of `a + i·b` from the half spectra of two real signals. */
export function joinRealPair(a: Float64Array, b: Float64Array, size: number, packed: ComplexArray): void {
  for (let k = 0; k <= size / 2; k++) {
    const ar = a[2 * k] as number
    const ai = a[2 * k + 1] as number
    const br = b[2 * k] as number
    const bi = b[2 * k + 1] as number
    packed[2 * k] = ar - bi
    packed[2 * k + 1] = ai + br
    if (k > 0 && k < size / 2) {
      const m = size - k
      packed[2 * m] = ar + bi
      packed[2 * m + 1] = br - ai
    }
  }
  // DC and the top bin of a real signal have no imaginary part; what a method left there must not leak across
  packed[0] = a[0] as number
  packed[1] = b[0] as number
  packed[size] = a[size] as number
  packed[size + 1] = b[size] as number
}
