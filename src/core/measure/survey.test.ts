import { describe, expect, it } from 'vitest'
import { noise } from '../testing/signals'
import { createSurvey, joinSurveys, type SurveyPart } from './survey'

describe('a survey', () => {
  const { channels, sampleRate } = noise({ seconds: 3, seed: 4, channels: 2, sampleRate: 44_100 })
  // silence around where it is taken apart, as where results are
  const CUTS = [40_001, 90_017]
  for (const channel of channels) for (const cut of CUTS) channel.fill(0, cut - 3000, cut + 10)
  const sound = { frames: 132_300, sampleRate, channelCount: 2 }
  const partOf = (from: number, to: number): SurveyPart => {
    const survey = createSurvey(sound, { from, to })
    for (let at = from; at < to; at += 4096) {
      const count = Math.min(4096, to - at)
      survey.add(
        channels.map((channel) => channel.subarray(at, at + count)),
        count,
      )
    }
    return survey.part()
  }
  const whole = joinSurveys(sound, [partOf(0, sound.frames)])

  it('is put together from parts in any order', () => {
    const ends = [0, ...CUTS, sound.frames]
    const parts = ends.slice(1).map((to, n) => partOf(ends[n] as number, to))
    for (const order of [parts, [...parts].reverse()]) {
      const joined = joinSurveys(sound, order)
      expect(joined.overview.low).toEqual(whole.overview.low)
      expect(joined.overview.high).toEqual(whole.overview.high)
      joined.overview.rms.forEach((level, bin) => {
        expect(level).toBeCloseTo(whole.overview.rms[bin] as number, 6)
      })
      expect(joined.peak).toBe(whole.peak)
      expect(joined.loudness).toBeCloseTo(whole.loudness, 4)
    }
  })

  it('tells the peak and the loudness of what it saw', () => {
    const most = Math.max(...channels.map((channel) => channel.reduce((m, value) => Math.max(m, Math.abs(value)), 0)))
    expect(whole.peak).toBe(most)
    // white noise of 0.3 at most, −15.2 dB of power in each of two channels, and what K-weighting lifts of it
    expect(whole.loudness).toBeGreaterThan(-13)
    expect(whole.loudness).toBeLessThan(-8)
    expect(joinSurveys(sound, []).loudness).toBe(Number.NEGATIVE_INFINITY)
  })
})
