import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { naturalRange, otherReading, readingOf } from './naturalRange'

describe('naturalRange', () => {
  it('grows from natural to slight for every kind, with 1 in the middle, and says where it comes from', () => {
    for (const kind of ['hits', 'single line', 'chords', 'dense mix', 'noise', 'unsure'] as const) {
      const range = naturalRange(kind)
      expect(range.from).toBe('stated')
      expect(range.slight[0]).toBeLessThan(range.natural[0])
      expect(range.slight[1]).toBeGreaterThan(range.natural[1])
      expect(range.slightPitch).toBeGreaterThan(range.naturalPitch)
      expect(readingOf(1, range)).toBe('natural')
      expect(readingOf(range.natural[1] + 0.01, range)).toBe('slightly stretched')
      expect(readingOf(range.slight[0] - 0.01, range)).toBe('clearly shortened')
    }
  })

  it('is told of pitch, and of both together', () => {
    const range = naturalRange('hits')
    expect(readingOf(1, range, range.naturalPitch)).toBe('natural')
    expect(readingOf(1, range, -range.naturalPitch - 1)).toBe('slightly lowered')
    expect(readingOf(1, range, range.slightPitch + 1)).toBe('clearly raised')
    expect(readingOf(0.5, range)).toBe('clearly shortened')
    // each alone is natural, both are not
    expect(readingOf(range.natural[1], range, range.naturalPitch)).not.toBe('natural')
    let before = 0
    for (let n = 0; n <= 60; n++) {
      const grade = ['natural', 'slightly', 'clearly'].indexOf(
        readingOf(1 + n / 30, range, n / 6).split(' ')[0] as string,
      )
      expect(grade).toBeGreaterThanOrEqual(before)
      before = grade
    }
  })

  it('takes measured breaking points over stated ones', () => {
    const measured = { natural: [0.95, 1.05], slight: [0.9, 1.1], naturalPitch: 1, slightPitch: 2 } as const
    expect(naturalRange('chords', measured)).toEqual({ ...measured, from: 'measured' })
  })
})

describe('otherReading', () => {
  it('offers 75 → 70 for 75 → 140, and nothing near to 1', () => {
    expect(otherReading(75 / 140)).toEqual({ stretch: 75 / 70, feel: 'half' })
    expect(otherReading(150 / 80)).toEqual({ stretch: 75 / 80, feel: 'double' })
    for (const stretch of [1, 0.75, 1.3, 1.4]) expect(otherReading(stretch)).toBeUndefined()
  })

  it('is always nearer to 1, by a factor of two', () => {
    const random = createRandom(4)
    for (let n = 0; n < 300; n++) {
      const stretch = 2 ** (6 * random() - 3)
      const other = otherReading(stretch)
      if (!other) continue
      expect([0.5, 2]).toContainEqual(expect.closeTo(other.stretch / stretch, 9))
      expect(Math.abs(Math.log2(other.stretch))).toBeLessThan(Math.abs(Math.log2(stretch)))
    }
  })
})
