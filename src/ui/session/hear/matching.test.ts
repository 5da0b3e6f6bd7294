import { describe, expect, it } from 'vitest'
import { matchedGains } from './matching'

describe('matchedGains', () => {
  const db = (gain: number) => 20 * Math.log10(gain)
  it('brings all lanes to one loudness and none over full scale', () => {
    const reference = { loudness: -14, peak: 0.9 }
    const lanes = [
      { loudness: -20, peak: 0.95 },
      { loudness: -10, peak: 1.2 },
      undefined,
      { loudness: Number.NEGATIVE_INFINITY, peak: 0 },
    ]
    const gains = matchedGains(reference, lanes)
    const all = [reference, ...lanes]
    const reached = all.map((level, i) =>
      level && Number.isFinite(level.loudness) ? level.loudness + db(gains[i] as number) : undefined,
    )
    for (const loudness of reached) if (loudness !== undefined) expect(loudness).toBeCloseTo(reached[0] as number, 9)
    all.forEach((level, i) => {
      if (level) expect(level.peak * (gains[i] as number)).toBeLessThanOrEqual(1.000001)
    })
    expect(gains[3]).toBe(gains[0])
  })
  it('leaves a single lane with headroom alone, and everything when the reference is silent', () => {
    expect(matchedGains({ loudness: -14, peak: 0.9 }, [])).toEqual([1])
    expect(matchedGains({ loudness: Number.NEGATIVE_INFINITY, peak: 0 }, [{ loudness: -3, peak: 1 }])).toEqual([1, 1])
  })
})
