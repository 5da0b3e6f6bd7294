import { describe, expect, it } from 'vitest'
import { chanceOfAtLeast, chanceOfPreference } from './listening'

describe('the chance of guessing right', () => {
  it('is the published table of ABX tests', () => {
    // binomial tails by hand: 1/2^n times a sum of binomial coefficients
    expect(chanceOfAtLeast(10, 10)).toBeCloseTo(1 / 1024, 12)
    expect(chanceOfAtLeast(9, 10)).toBeCloseTo(11 / 1024, 12)
    expect(chanceOfAtLeast(12, 16)).toBeCloseTo(2517 / 65_536, 12)
    expect(chanceOfAtLeast(0, 7)).toBeCloseTo(1, 12)
  })
  it('falls with every hit, and is whole for no trials', () => {
    for (let hits = 1; hits <= 20; hits++) expect(chanceOfAtLeast(hits, 20)).toBeLessThan(chanceOfAtLeast(hits - 1, 20))
    expect(chanceOfAtLeast(0, 0)).toBe(1)
    expect(() => chanceOfAtLeast(3, 2)).toThrow(RangeError)
  })
  it('of a preference counts both sides', () => {
    expect(chanceOfPreference(8, 8)).toBeCloseTo(2 / 256, 12)
    expect(chanceOfPreference(0, 8)).toBeCloseTo(2 / 256, 12)
    expect(chanceOfPreference(4, 8)).toBe(1)
  })
})
