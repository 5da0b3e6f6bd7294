import { describe, expect, it } from 'vitest'
import { straightMap } from '../core'
import { createRandom } from '../core/dsp/random'
import type { SourceFacts } from './schema'
import {
  barsOf,
  bpmOf,
  clampPitch,
  pitchFromParts,
  pitchParts,
  secondsOf,
  shortestInterval,
  stretchFromBars,
  stretchFromBpm,
  stretchFromPercent,
  stretchFromSeconds,
} from './target'

describe('the target in all its units', () => {
  const facts: SourceFacts = { frames: 278_883, sampleRate: 48_000, channels: 2, container: 'WAV', peak: 1 }
  const target = {
    stretch: 1.25,
    pitchSemitones: 0,
    formants: 'move' as const,
    formantSemitones: 0,
    holdPercent: 0,
    tied: false,
  }

  it('typed as seconds gives exactly those frames', () => {
    const random = createRandom(5)
    for (let n = 0; n < 500; n++) {
      const frames = 1000 + Math.floor(random() * 3e6)
      const seconds = Math.round((frames / 48_000) * (0.2 + 5 * random()) * 1000) / 1000
      const stretch = stretchFromSeconds(seconds, { ...facts, frames })
      expect(straightMap(frames, stretch).outputFrames).toBe(Math.round(seconds * 48_000))
    }
    expect(straightMap(facts.frames, stretchFromSeconds(6, facts)).outputFrames).toBe(288_000)
  })

  it('reads the same from every side', () => {
    expect(bpmOf(target, 96)).toBeCloseTo(76.8, 9)
    expect(stretchFromBpm(96, 76.8)).toBeCloseTo(1.25, 12)
    expect(stretchFromPercent(125)).toBe(1.25)
    expect(bpmOf(target, undefined)).toBeUndefined()
    const stretch = stretchFromSeconds(7.3, facts)
    expect(secondsOf({ ...target, stretch }, facts)).toBeCloseTo(7.3, 9)
  })

  it('fills whole bars to the frame, and finds the shorter way from key to key', () => {
    const stretch = stretchFromBars(4, 4, 96, facts)
    expect(straightMap(facts.frames, stretch).outputFrames).toBe(480_000)
    expect(barsOf(facts, 96, 4) * stretch).toBeCloseTo(4, 9)
    expect(shortestInterval(9, 0)).toBe(3)
    expect(shortestInterval(0, 9)).toBe(-3)
    for (let from = 0; from < 12; from++)
      for (let to = 0; to < 12; to++) {
        const steps = shortestInterval(from, to)
        expect((from + steps + 12) % 12).toBe(to)
        expect(Math.abs(steps)).toBeLessThanOrEqual(6)
      }
  })

  it('splits pitch into whole semitones and cents, and joins it again', () => {
    for (const pitch of [0, 0.5, -0.5, 3.25, -12.4, 35.99, -36]) {
      const { semitones, cents } = pitchParts(pitch)
      expect(Number.isInteger(semitones)).toBe(true)
      expect(Math.abs(cents)).toBeLessThanOrEqual(50)
      expect(pitchFromParts(semitones, cents)).toBeCloseTo(pitch, 9)
    }
    expect(clampPitch(99)).toBe(36)
  })
})
