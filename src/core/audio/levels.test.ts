import { describe, expect, it } from 'vitest'
import { byParts } from '../testing/byParts'
import { noise } from '../testing/signals'
import { addLevels, emptyLevels, levelsBetween } from './levels'
import { soundSource } from './soundSource'

const audio = noise({ seconds: 3.01, seed: 1, sampleRate: 8000, channels: 2 })
const STEP = 200

describe('levels', () => {
  it('are the peak and the energy of every whole step, over all channels', () => {
    const { peaks, energies, stepFrames } = levelsBetween(soundSource(audio), 0, 1000)
    expect(stepFrames).toBe(STEP)
    expect(peaks).toHaveLength(120)
    for (const n of [0, 57, 119]) {
      const all = audio.channels.flatMap((channel) => [...channel.subarray(n * STEP, (n + 1) * STEP)])
      expect(peaks[n]).toBe(Math.max(...all.map(Math.abs)))
      expect(energies[n]).toBeCloseTo(
        all.reduce((sum, value) => sum + value * value, 0),
        4,
      )
    }
  })

  it('are looked at where they are asked for, and only once', () => {
    const source = byParts(audio)
    levelsBetween(source, 50, 60)
    expect(source.asked).toEqual([{ from: 50 * STEP, to: 90 * STEP }])
    levelsBetween(source, 55, 90)
    expect(source.asked).toHaveLength(1)
    const some = levelsBetween(source, 40, 95)
    expect([some.peaks[39], some.peaks[95]].map(Number.isNaN)).toEqual([true, false])
  })

  it('come with a sound that was looked through before: it is not read for them', () => {
    const levels = emptyLevels(soundSource(audio))
    addLevels(levels, 0, audio.channels)
    const source = byParts(audio)
    expect(levelsBetween({ ...source, levels }, 0, 120)).toBe(levels)
    expect(source.asked).toEqual([])
    expect(levels).toEqual(levelsBetween(soundSource(audio), 0, 120))
  })
})
