import { describe, expect, it } from 'vitest'
import { noise } from '../testing/signals'
import { rankedOf, slidingMedianInto } from './median'
import { createRandom } from './random'
import { lowerBound } from './search'
import { createSimilaritySearch } from './similarity'

const SEED = 91
const sorted = (values: ArrayLike<number>) => Array.from(values).sort((a, b) => a - b)

describe('medians', () => {
  it('and all other ranks are what sorting gives, ties and rows in order included', () => {
    const random = createRandom(SEED)
    for (let count = 1; count < 40; count++) {
      const drawn = Float64Array.from({ length: count }, () => Math.floor(random() * 9))
      for (const values of [drawn, drawn.slice().sort(), drawn.slice().sort().reverse()]) {
        for (let rank = 0; rank < count; rank++)
          expect(rankedOf(values.slice(), count, rank)).toBe(sorted(values)[rank])
      }
    }
  })

  it('slide as if each window were sorted by itself, also where it is cut at the ends', () => {
    const random = createRandom(SEED)
    for (const [length, reach] of [
      [1, 3],
      [5, 9],
      [60, 1],
      [200, 7],
    ] as const) {
      const values = Float64Array.from({ length }, () => Math.floor(random() * 20))
      const out = new Float64Array(length)
      slidingMedianInto(out, values, reach)
      for (let i = 0; i < length; i++) {
        const window = sorted(values.slice(Math.max(0, i - reach), i + reach + 1))
        expect(out[i]).toBe(window[window.length >> 1])
      }
    }
  })
})

describe('lowerBound', () => {
  it('finds what a walk from the front finds', () => {
    const random = createRandom(SEED)
    for (let round = 0; round < 200; round++) {
      const values = sorted(Array.from({ length: Math.floor(random() * 12) }, () => Math.floor(random() * 10)))
      const from = random() * 12 - 1
      const walked = values.findIndex((value) => value >= from)
      expect(lowerBound(values, from)).toBe(walked < 0 ? values.length : walked)
    }
  })
})

describe('the similarity search', () => {
  it('finds a piece where it was put, at any level, whichever way the channels cancel', () => {
    const own = noise({ seconds: 0.2, seed: 3 }).channels[0] as Float32Array
    const copy = own.slice()
    for (let i = 0; i < 512; i++) copy[5137 + i] = 0.3 * (own[1000 + i] as number)
    for (const sign of [1, -1]) {
      const source = { sampleRate: 48_000, channels: [copy, copy.map((v) => sign * v)] }
      const found = createSimilaritySearch(source, 512, 800)(1000, 4800, 5500, 5000)
      expect(found.start).toBe(5137)
      expect(found.score).toBeGreaterThan(0.99)
    }
  })

  it('stays where it was wanted in silence', () => {
    const source = { sampleRate: 48_000, channels: [new Float32Array(9000)] }
    expect(createSimilaritySearch(source, 256, 400)(100, 4000, 4300, 4200)).toEqual({ start: 4200, score: 0 })
  })
})
