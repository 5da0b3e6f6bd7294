import { describe, expect, it } from 'vitest'
import { createOverviewBuilder } from '../../core'
import { createRandom } from '../../core/dsp/random'
import { levelFor, spanOf } from './levels'

const random = createRandom(5)
const samples = Float32Array.from({ length: 4096 }, () => random() * 2 - 1)
const builder = createOverviewBuilder(samples.length)
builder.add([samples], samples.length)
const overview = builder.finish()

describe('the drawing of a sound', () => {
  it('is taken from the coarsest level that still has a bin for each pixel', () => {
    expect(levelFor(overview, 16).framesPerBin).toBe(16)
    expect(levelFor(overview, 65).framesPerBin).toBe(64)
    expect(levelFor(overview, 300).framesPerBin).toBe(256)
  })
  it('spans what its samples span, at every level', () => {
    for (const perPx of [1, 70, 300]) {
      const level = levelFor(overview, perPx)
      const size = level.framesPerBin
      const [first, last] = [1, Math.min(level.low.length - 1, 1 + Math.ceil(900 / size))]
      const part = samples.subarray(first * size, last * size)
      const span = spanOf(level, first, last)
      expect(span?.low).toBeCloseTo(Math.min(...part), 5)
      expect(span?.high).toBeCloseTo(Math.max(...part), 5)
      expect(span?.rms).toBeCloseTo(Math.sqrt(part.reduce((sum, x) => sum + x * x, 0) / part.length), 5)
    }
    expect(spanOf(overview, overview.low.length, overview.low.length + 3)).toBeUndefined()
    expect(spanOf(overview, -4, 0)).toBeUndefined()
  })
})
