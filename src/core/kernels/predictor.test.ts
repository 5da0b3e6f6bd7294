import { describe, expect, it } from 'vitest'
import { createRandom, gaussian } from '../dsp/random'
import { addPredictionErrors, predictionTwin } from './predictor'
import { kernelsRun } from './wasm'

/** Noise with a strong resonance: what is between two samples can be known. */
function resonating(length: number, seed: number): Float32Array {
  const random = createRandom(seed)
  const out = new Float32Array(length)
  for (let n = 0; n < length; n++) out[n] = 1.8 * (out[n - 1] ?? 0) - 0.95 * (out[n - 2] ?? 0) + 0.01 * gaussian(random)
  return out
}

describe('the errors of a predictor', () => {
  it.each([
    [0, 40],
    [7, 33],
    [65, 1],
    [1323, 2117],
    [1440, 2304],
    [5000, 12_000],
  ])('learnt from %d samples are the same, to the bit, in the kernel and its twin, for %d more', (learnt, more) => {
    expect(kernelsRun()).toBe(true)
    const samples = resonating(learnt + more, learnt + 1)
    const [kernel, twin] = [addPredictionErrors, predictionTwin].map((add) => {
      const errors = Float64Array.from({ length: more }, (_, n) => n)
      // twice: what is there already stays, and nothing is left over from before
      add(errors, samples, learnt)
      add(errors, samples, learnt)
      return errors
    })
    expect(kernel).toEqual(twin)
  })

  it('are the power that is new, where the sound is what it was', () => {
    const errors = new Float64Array(4000)
    addPredictionErrors(errors, resonating(6000, 3), 2000)
    const mean = errors.reduce((sum, value) => sum + value, 0) / 4000
    expect(Math.sqrt(mean) / 0.01).toBeGreaterThan(0.95)
    expect(Math.sqrt(mean) / 0.01).toBeLessThan(1.06)
  })

  it('are the samples themselves behind silence', () => {
    const samples = Float32Array.from({ length: 100 }, (_, n) => (n < 80 ? 0 : n))
    const errors = new Float64Array(20)
    addPredictionErrors(errors, samples, 80)
    expect([...errors]).toEqual(Array.from({ length: 20 }, (_, n) => (n + 80) ** 2))
  })
})
