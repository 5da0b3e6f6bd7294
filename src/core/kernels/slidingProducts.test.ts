import { describe, expect, it } from 'vitest'
import { createRandom, gaussian } from '../dsp/random'
import { productsTwin, slidingProducts } from './slidingProducts'
import { kernelsRun } from './wasm'

describe('sliding products', () => {
  it.each([
    [1, 1],
    [9, 5],
    [321, 117],
    [801, 290],
    [12_000, 4000],
    [14_000, 4000],
  ])('of %d samples at %d lags are the same, to the bit, in the kernel and its twin', (count, lags) => {
    expect(kernelsRun()).toBe(true)
    const random = createRandom(count)
    const samples = Float32Array.from({ length: 2 * count + lags + 20 }, () => gaussian(random))
    const [kernel, twin] = [slidingProducts, productsTwin].map((products) => {
      const out = new Float64Array(lags)
      products(out, samples.subarray(3, 3 + count), samples.subarray(count + 5))
      return out
    })
    expect(kernel).toEqual(twin)
    const last = Array.from(
      { length: count },
      (_, i) => (samples[3 + i] as number) * (samples[count + 4 + lags + i] as number),
    )
    expect(kernel?.at(-1)).toBeCloseTo(
      last.reduce((sum, value) => sum + value, 0),
      6,
    )
  })
})
