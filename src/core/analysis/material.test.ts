import { describe, expect, it } from 'vitest'
import { methods } from '../methods/registry'
import { finish } from '../task'
import { AS_WRITTEN, idealItems } from '../testing/ideals'
import { sine } from '../testing/signals'
import { analyse } from './analysis'
import { longestPeriodMs, pickWithin, usualGapMs } from './material'
import { trackPitch } from './pitchTrack'

const RATE = 48_000
const attacksEvery = (seconds: readonly number[]) => {
  let frame = 0
  return {
    attacks: [0, ...seconds].map((gap) => {
      frame += Math.round(gap * RATE)
      return { frame, strength: 1 }
    }),
  }
}

describe('what a source asks for', () => {
  it('is the usual gap, in which a roll does not speak for the passage', () => {
    expect(usualGapMs(attacksEvery([0.5, 0.5, 0.05, 0.05, 0.05, 0.5, 0.5]), RATE)).toBeCloseTo(500, 6)
    expect(usualGapMs(attacksEvery([0.5]), RATE)).toBeUndefined()
    expect(usualGapMs({}, RATE)).toBeUndefined()
  })

  it('is the longest period of a single line, and none of anything else', () => {
    const low = finish(trackPitch(sine({ hz: 100, seconds: 0.5 })))
    expect(longestPeriodMs({ pitch: low })).toBeCloseTo(10, 1)
    const rain = idealItems.find((item) => item.id === 'rain')?.play({ ...AS_WRITTEN, stretch: 0.3 })
    expect(longestPeriodMs({ pitch: finish(trackPitch((rain as NonNullable<typeof rain>).audio)) })).toBeUndefined()
    expect(longestPeriodMs({})).toBeUndefined()
  })

  it('stays whole and within bounds', () => {
    expect(pickWithin(undefined, 10, 20, 12)).toBe(12)
    expect(pickWithin(3.7, 10, 20, 12)).toBe(10)
    expect(pickWithin(99, 10, 20, 12)).toBe(20)
    expect(pickWithin(14.6, 10, 20, 12)).toBe(15)
  })

  it('differs between a roll and a held chord in every method that has something to pick, and lies in range', () => {
    const dense = attacksEvery(Array.from({ length: 20 }, () => 0.09))
    const sparse = attacksEvery([4, 4, 4])
    const low = idealItems.find((item) => item.id === 'bass')?.play(AS_WRITTEN)
    const line = analyse((low as NonNullable<typeof low>).audio, ['pitch', 'focus'])
    for (const method of methods) {
      const picks = [dense, sparse, line].map((analysis) => method.pick?.(analysis, RATE) ?? {})
      for (const pick of picks) {
        for (const [name, value] of Object.entries(pick)) {
          const setting = method.settings[name]
          if (setting?.type !== 'number') throw new Error(`${method.id} picks ${name}, which is no number of its own`)
          expect(value).toBeGreaterThanOrEqual(setting.min)
          expect(value).toBeLessThanOrEqual(setting.max)
        }
      }
      if (method.pick) expect(new Set(picks.map((pick) => JSON.stringify(pick))).size, method.id).toBeGreaterThan(1)
    }
    expect(methods.filter((method) => !method.pick).map((method) => method.id)).toEqual(['varispeed'])
  })
})
