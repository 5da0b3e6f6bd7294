import { createSincReader } from './sinc'

const WIDTH = 16
const ATTENUATION_DB = 60

/**
 * Every `factor`-th frame of a sound that has been band-limited to what those can carry.
 * Shape  `[⌈frames / factor⌉]`; factor 1 returns the very array.
 * @throws {RangeError} if `factor` is not a whole number from 1 to 8.
 */
export function decimate(samples: Float32Array, factor: number): Float32Array {
  if (!(Number.isInteger(factor) && factor >= 1 && factor <= 8)) {
    throw new RangeError(`decimate: factor must be a whole number 1..8, got ${factor}`)
  }
  if (factor === 1) return samples
  const out = new Float32Array(Math.ceil(samples.length / factor))
  const reader = createSincReader(WIDTH, factor, ATTENUATION_DB)
  const positions = new Float64Array(out.length)
  for (let i = 0; i < positions.length; i++) positions[i] = i * factor
  reader.readManyInto([samples], positions, out.length, [out], 0)
  return out
}
