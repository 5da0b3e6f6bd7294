import { describe, expect, it } from 'vitest'
import { measuredSizes, provenCases } from '../testing/proven'

describe('harm that is proven twice', () => {
  it.each(provenCases().map((proven) => [proven.id, proven.material, proven] as const))(
    '%s in %s is what a plain calculation finds',
    (_, __, proven) => {
      const { sizes, within } = proven
      let before = 0
      measuredSizes(proven).forEach((figure, n) => {
        const plain = sizes[n]?.plain ?? Number.NaN
        const isNear = Math.abs(figure - plain) <= Math.max(within.amount, within.share * plain)
        expect(isNear, `${figure.toFixed(2)} for ${plain.toFixed(2)}`).toBe(true)
        expect(figure).toBeGreaterThan(before)
        before = figure
      })
    },
  )
})
