import { type Transform, transformOf } from '../kernels/fft'
import { kernels } from '../kernels/wasm'

/** Interleaved complex numbers in single precision: re, im, re, im … */
export type ComplexArray = Float32Array

/**
 * A complex Fourier transform of one size (a power of two from 2): `forward` is unscaled, `inverse` divides by the
 * size, so the two undo each other to about 2e-7 of the loudest. Input and output must be different arrays, each `[2 × size]`.
 */
export interface ComplexFft extends Transform {
  readonly size: number
  create(): ComplexArray
}

const made = new Map<string, ComplexFft>()

/** @throws {RangeError} if `size` is not a power of two from 2. */
export function complexFft(size: number): ComplexFft {
  const key = `${size} ${kernels() ? 'kernel' : 'twin'}`
  const known = made.get(key)
  if (known) return known
  if (size < 2 || (size & (size - 1)) !== 0) {
    throw new RangeError(`complexFft: size must be a power of two, got ${size}`)
  }
  const fft: ComplexFft = { size, create: () => new Float32Array(2 * size), ...transformOf(size) }
  made.set(key, fft)
  return fft
}

/**
 * Take apart the spectrum of `a + i·b` for two real signals: bins 0…size/2 of A and of B, interleaved, `[size + 2]`
 * each. One complex transform thus serves two real ones.
 */
export function splitRealPair(packed: ComplexArray, size: number, a: Float32Array, b: Float32Array): void {
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
export function joinRealPair(a: Float32Array, b: Float32Array, size: number, packed: ComplexArray): void {
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
