import { fftInside, fftTwin } from './fft'

/**
 * Autocorrelations of two real signals at once, each times its gain, for lags up to `out.length / 2`, interleaved. The signals are at
 * most half as long as the transform, or as much shorter as the lags are fewer. Gains make them about equally loud: what one is to the
 * other in level is lost in precision.
 */
export type PairAutocorrelation = (
  out: Float32Array,
  a: Float64Array,
  b: Float64Array,
  gainA: number,
  gainB: number,
) => void

export const pairAutocorrelation = (size: number): PairAutocorrelation =>
  autocorrelationKernel(size) ?? autocorrelationTwin(size)

export function autocorrelationTwin(size: number): PairAutocorrelation {
  const fft = fftTwin(size)
  const packed = new Float32Array(2 * size)
  const z = new Float32Array(2 * size)
  return (out, a, b, gainA, gainB) => {
    lay(packed, a, b, gainA, gainB)
    fft.forward(z, packed)
    // both power spectra are even and real, so their inverses are the two parts of one
    for (let k = 0; k <= size / 2; k++) {
      const m = (size - k) % size
      const pr = z[2 * k] as number
      const pi = z[2 * k + 1] as number
      const qr = z[2 * m] as number
      const qi = z[2 * m + 1] as number
      packed[2 * k] = 0.25 * ((pr + qr) * (pr + qr) + (pi - qi) * (pi - qi))
      packed[2 * k + 1] = 0.25 * ((pi + qi) * (pi + qi) + (qr - pr) * (qr - pr))
      packed[2 * m] = packed[2 * k] as number
      packed[2 * m + 1] = packed[2 * k + 1] as number
    }
    fft.inverse(z, packed)
    out.set(z.subarray(0, out.length))
  }
}

/** The same in single precision throughout (kernels/columns.ts); undefined as `fftKernel`. */
export function autocorrelationKernel(size: number): PairAutocorrelation | undefined {
  const inside = fftInside(size)
  if (!inside) return undefined
  const { own } = inside
  const input = own.floats.subarray(inside.from / 4, inside.from / 4 + 2 * size)
  const output = own.floats.subarray(inside.to / 4, inside.to / 4 + 2 * size)
  return (out, a, b, gainA, gainB) => {
    lay(input, a, b, gainA, gainB)
    inside.turn(1, 0)
    own.pairSquared(inside.to, inside.from, size)
    inside.turn(1 / size, 1)
    out.set(output.subarray(0, out.length))
  }
}

function lay(packed: Float32Array, a: Float64Array, b: Float64Array, gainA: number, gainB: number) {
  for (let i = 0; i < a.length; i++) {
    packed[2 * i] = gainA * (a[i] as number)
    packed[2 * i + 1] = gainB * (b[i] as number)
  }
  packed.fill(0, 2 * a.length)
}
