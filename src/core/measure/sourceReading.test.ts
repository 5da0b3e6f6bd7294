import { describe, expect, it } from 'vitest'
import { renderBlock } from '../render/renderTask'
import { finish } from '../task'
import { AS_WRITTEN } from '../testing/ideals'
import { recipe } from '../testing/recipes'
import { drawnItem } from '../testing/scores'
import { comparisonOf } from '../trials/comparisonOf'
import { energiesOf } from './energies'
import { measureTask } from './measure'
import { readSource } from './sourceReading'

describe('what is found out of a source', () => {
  it('comes to the same figures for each of its results, whatever was measured before', () => {
    const { audio } = drawnItem('mix', 2).play({ ...AS_WRITTEN, stretch: 0.4 })
    const reading = finish(readSource(audio))
    for (const [methodId, stretch] of [
      ['splice', 1.25],
      ['vocoder', 1.25],
      ['wsola', 0.7],
    ] as const) {
      const own = recipe(methodId, { stretch })
      const comparison = comparisonOf(audio, renderBlock(audio, own), own)
      for (const brief of [true, false]) {
        const kept = finish(measureTask(comparison, reading, { brief }))
        expect(kept).toEqual(finish(measureTask(comparison, undefined, { brief })))
      }
    }
  })

  it('has the energy of any span, of the sound and of its slope', () => {
    const samples = Float32Array.from({ length: 400 }, (_, i) => Math.sin(i * i * 0.01))
    const { plain, edge } = energiesOf({ sampleRate: 8000, channels: [samples, samples] })
    const [from, to] = [37, 251]
    const sum = (of: (i: number) => number) => {
      let all = 0
      for (let i = from; i < to; i++) all += 2 * of(i) ** 2
      return all
    }
    expect(plain(from, to)).toBeCloseTo(
      sum((i) => samples[i] as number),
      9,
    )
    expect(edge(from, to)).toBeCloseTo(
      sum((i) => (samples[i] as number) - (samples[i - 1] as number)),
      9,
    )
    // beyond its ends there is nothing
    expect(plain(-50, 900)).toBeCloseTo(plain(0, 400), 12)
  })
})
