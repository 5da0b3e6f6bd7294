import { describe, expect, it } from 'vitest'
import { frameCount } from '../audio/block'
import { finish } from '../task'
import { provenCases } from '../testing/proven'
import { straightMap } from '../timeline/timeMap'
import { measureTask, readSource } from './measure'

describe('harm that is proven twice', () => {
  const one = () => 1
  it.each(provenCases().map((proven) => [proven.id, proven.material, proven] as const))(
    '%s in %s is what a plain calculation finds',
    (id, _, { source, stretch, sizes, within }) => {
      const reading = finish(readSource(source))
      const map = straightMap(frameCount(source), stretch)
      let before = 0
      for (const { result, plain } of sizes) {
        const comparison = { source, result, from: 0, map, pitchRatioAt: one, formantRatioAt: one }
        const { artefacts } = finish(measureTask(comparison, reading))
        const figure = artefacts.find((artefact) => artefact.id === id)?.value ?? Number.NaN
        const off = Math.abs(figure - plain)
        expect([plain.toFixed(2), figure.toFixed(2), off <= Math.max(within.amount, within.share * plain)]).toEqual([
          plain.toFixed(2),
          figure.toFixed(2),
          true,
        ])
        expect(figure).toBeGreaterThan(before)
        before = figure
      }
    },
  )
})
