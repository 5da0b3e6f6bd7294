import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { type Ranks, ranksKernel, ranksTwin } from './ranks'

describe('the rank kernel', () => {
  it('finds what sorting finds, and so does its twin, for any count of rows and columns, ties and all', () => {
    const random = createRandom(3)
    for (let count = 2; count <= 33; count += count < 13 ? 1 : 4) {
      for (const columns of [1, 16, 53]) {
        const rows = Array.from({ length: count }, () =>
          Float32Array.from({ length: columns }, () => (columns === 53 ? Math.floor(9 * random()) : random())),
        )
        const low = Math.min(1, count - 1)
        for (const ranks of [ranksKernel(count, columns, low) as Ranks, ranksTwin(count, columns, low)]) {
          const lowest = new Float32Array(columns)
          const middle = new Float32Array(columns)
          ranks(rows, lowest, middle)
          for (let k = 0; k < columns; k++) {
            const sorted = rows.map((row) => row[k] as number).sort((a, b) => a - b)
            expect([lowest[k], middle[k]]).toEqual([sorted[low], sorted[count >> 1]])
          }
        }
      }
    }
  })

  it('is not asked for more than it has room for', () => {
    expect(ranksKernel(65, 16, 1)).toBeUndefined()
    expect(ranksKernel(20, 1 << 15, 1)).toBeUndefined()
  })
})
