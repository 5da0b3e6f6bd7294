import { splitRealPair } from '../dsp/fft'
import { fftInside, fftTwin } from './fft'
import type { Kernels } from './wasm'

/**
 * Finds where a region is most like a template. Both are laid into the arrays that are here for it, right before: nothing stays in them
 * from call to call.
 */
export interface Likeness {
  /** `[length]` */
  readonly template: Float32Array
  /** `[length + mostLags]` */
  readonly region: Float32Array
  /**
   * The lag from 0 to `lags` at which the template's length of region has the greatest correlation with it, over the root of that part's
   * energy; and how much that is. −1 and 0 where it is nowhere above 1e-6.
   */
  find(lags: number): { readonly lag: number; readonly value: number }
}

export const likeness = (length: number, mostLags: number): Likeness =>
  likenessKernel(length, mostLags) ?? likenessTwin(length, mostLags)

/** of the transform that holds the region, so that no lag wraps around */
const sizeFor = (length: number, mostLags: number) => 2 ** (32 - Math.clz32(length + mostLags - 1))

/** In double precision, but for what the transform hands out: what the kernel is held against. */
export function likenessTwin(length: number, mostLags: number): Likeness {
  const size = sizeFor(length, mostLags)
  const fft = fftTwin(size)
  const packed = new Float32Array(2 * size)
  const z = new Float32Array(2 * size)
  /** of the region and the template */
  const spectra = [new Float32Array(size + 2), new Float32Array(size + 2)] as const
  const template = new Float32Array(length)
  const region = new Float32Array(length + mostLags)
  return {
    template,
    region,
    find(lags) {
      packed.fill(0)
      for (let i = 0; i < length + lags; i++) packed[2 * i] = region[i] as number
      for (let i = 0; i < length; i++) packed[2 * i + 1] = template[i] as number
      fft.forward(z, packed)
      splitRealPair(z, size, ...spectra)
      // R · conj T, and its mirror, since both are real
      for (let k = 0; k <= size / 2; k++) {
        const m = (size - k) % size
        const rr = spectra[0][2 * k] as number
        const ri = spectra[0][2 * k + 1] as number
        const tr = spectra[1][2 * k] as number
        const ti = spectra[1][2 * k + 1] as number
        const re = rr * tr + ri * ti
        const im = ri * tr - rr * ti
        packed[2 * k] = re
        packed[2 * k + 1] = im
        packed[2 * m] = re
        packed[2 * m + 1] = -im
      }
      fft.inverse(z, packed)
      let energy = 0
      for (let i = 0; i < length; i++) energy += (region[i] as number) * (region[i] as number)
      let best = -1
      let value = 1e-6
      for (let lag = 0; lag <= lags; lag++) {
        const own = (z[2 * lag] as number) / Math.sqrt(Math.max(energy, 1e-9))
        if (own > value) {
          best = lag
          value = own
        }
        const gone = region[lag] as number
        const come = region[lag + length] ?? 0
        energy += come * come - gone * gone
      }
      return best < 0 ? { lag: -1, value: 0 } : { lag: best, value }
    },
  }
}

/** the largest region: longer ones are left to the twin */
const LARGEST = 1 << 15

interface Areas {
  readonly region: number
  readonly template: number
  readonly found: number
}

const areas = new WeakMap<Kernels, Areas | undefined>()

/** The same in single precision (kernels/similarity.ts); undefined where there are no kernels, or not for this size. */
export function likenessKernel(length: number, mostLags: number): Likeness | undefined {
  const size = sizeFor(length, mostLags)
  const inside = size <= LARGEST ? fftInside(size) : undefined
  if (!inside) return undefined
  const { own, from, to, turn } = inside
  if (!areas.has(own)) areas.set(own, makeAreas(own))
  const at = areas.get(own)
  if (!at) return undefined
  const { floats } = own
  const template = floats.subarray(at.template / 4, at.template / 4 + length)
  const region = floats.subarray(at.region / 4, at.region / 4 + length + mostLags)
  const whole = [at.template, at.region].map((place) => floats.subarray(place / 4, place / 4 + size)) as [
    Float32Array,
    Float32Array,
  ]
  const square = new Float64Array(own.memory.buffer, at.found, 1)
  return {
    template,
    region,
    find(lags) {
      whole[0].fill(0, length)
      whole[1].fill(0, length + lags)
      own.packPlain(at.region, at.template, from, size)
      turn(1, 0)
      own.pairProduct(to, from, size)
      turn(1 / size, 1)
      const lag = own.likest(to, at.region, length, lags, at.found)
      return { lag, value: lag < 0 ? 0 : Math.sqrt(square[0] as number) }
    },
  }
}

function makeAreas(own: Kernels): Areas | undefined {
  // one number more than the longest: the search looks one ahead
  const [region, template, found] = [own.take(4 * (LARGEST + 1)), own.take(4 * LARGEST), own.take(8)]
  if (region === undefined || template === undefined || found === undefined) return undefined
  return { region, template, found }
}
