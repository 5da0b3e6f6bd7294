import { describe, expect, it } from 'vitest'
import { createRandom, gaussian } from '../dsp/random'
import { autocorrelationKernel, autocorrelationTwin, type PairAutocorrelation } from './autocorrelation'

describe('the autocorrelation kernel', () => {
  it.each([64, 1024, 4096])('is Σ x(i)·x(i + lag) of each signal, as its twin has it, at %d', (size) => {
    const random = createRandom(size)
    const length = Math.round(0.7 * size)
    const lags = size - length
    const [a, b] = [0, 1].map(() => Float64Array.from({ length }, () => gaussian(random))) as [
      Float64Array,
      Float64Array,
    ]
    const results = [autocorrelationKernel(size) as PairAutocorrelation, autocorrelationTwin(size)].map((correlate) => {
      const out = new Float32Array(2 * lags)
      correlate(out, a, b, 0.5, 2)
      // a second time: nothing is left over from the first
      correlate(out, a, b, 0.5, 2)
      return out
    })
    for (let lag = 0; lag < lags; lag += 5) {
      for (const [part, signal] of [a, b].entries()) {
        const gain = part === 0 ? 0.5 : 2
        let sum = 0
        for (let i = 0; i + lag < length; i++) sum += gain ** 2 * (signal[i] as number) * (signal[i + lag] as number)
        for (const out of results)
          expect(Math.abs((out[2 * lag + part] as number) - sum)).toBeLessThan(
            3e-6 * gain ** 2 * length + 3e-6 * length,
          )
      }
    }
  })
})
