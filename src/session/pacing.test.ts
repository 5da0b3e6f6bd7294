import { describe, expect, it } from 'vitest'
import { planOf } from '../core'
import { newSource } from './create'
import { pacingOf, settledPacing } from './pacing'
import { recipeOf, timedFacts } from './recipe'
import type { Source } from './schema'

const RATE = 48_000
const FRAMES = 3 * RATE + 77

/** Vowels of a fifth of a second, consonants of a tenth. */
const giving = {
  stepSeconds: 0.01,
  percent: Array.from({ length: 301 }, (_, n) => (n % 30 < 20 ? 100 : 5)),
}

function line(stretch: number, change: Partial<Source> = {}): Source {
  const source = newSource({ id: 'one', name: 'Line', file: 'line.wav', origin: 'file' })
  return {
    ...source,
    facts: { frames: FRAMES, sampleRate: RATE, channels: 1 } as Source['facts'] & object,
    target: { ...source.target, stretch },
    ...change,
  }
}
const paced = (source: Source, percent = 100): Source => ({
  ...source,
  timing: { pins: [], placed: [], pacing: pacingOf(percent, giving, 0) },
})
const framesOf = (source: Source) => {
  const [variant] = source.variants
  if (!variant || !source.facts) throw new Error('no lane')
  return planOf(recipeOf(source, variant), source.facts).map.outputFrames
}

describe('a source that is paced as speech', () => {
  it('has a speed curve, and a result as long as before, to the frame', () => {
    for (const stretch of [0.6, 1.37, 2, 8]) {
      const before = line(stretch)
      const after = settledPacing(paced(before), before)
      expect(after.timing?.speedCurve?.points.length).toBeGreaterThan(20)
      expect(framesOf(after)).toBe(framesOf(before))
      expect(Math.abs(after.target.stretch / stretch - 1)).toBeLessThan(1e-3)
    }
  })

  it('follows its stretch, but not each hair of it', () => {
    const start = line(2)
    const first = settledPacing(paced(start), start)
    const speeds = (source: Source) => source.timing?.speedCurve?.points.map(({ percent }) => percent) ?? []
    const spread = (source: Source) => Math.max(...speeds(source)) / Math.min(...speeds(source))
    const nearly = { ...first, target: { ...first.target, stretch: 2.001 } }
    expect(settledPacing(nearly, first)).toBe(nearly)
    const more = settledPacing({ ...first, target: { ...first.target, stretch: 6 } }, first)
    expect(spread(more)).toBeGreaterThan(1.5 * spread(first))
    expect(Math.round((6 * (timedFacts(first)?.frames ?? 0)) / framesOf(more))).toBe(1)
    const rest = settledPacing({ ...more, target: { ...more.target, stretch: 1 } }, more)
    expect(rest.timing?.speedCurve).toBeUndefined()
    expect(rest.timing?.pacing?.percent).toBe(100)
  })

  it('is as even as before where its pacing ends, and what was drawn over it by hand stays', () => {
    const start = line(2)
    const first = settledPacing(paced(start), start)
    const { pacing: _, speedCurve, ...bare } = first.timing as Source['timing'] & object
    const ended = settledPacing({ ...first, timing: bare }, first)
    expect(ended.timing).toEqual(bare)
    expect(framesOf(ended)).toBe(framesOf(start))
    const drawn = { ...first, timing: { ...bare, ...(speedCurve && { speedCurve }) } }
    expect(settledPacing(drawn, first)).toBe(drawn)
  })

  it('goes by what lies in the part that is worked with', () => {
    const range = { start: RATE, end: 2 * RATE }
    const start = line(3, { range })
    const points = settledPacing(paced(start), start).timing?.speedCurve?.points ?? []
    expect(points[0]?.seconds).toBeGreaterThan(1)
    expect(points.at(-1)?.seconds).toBeLessThan(2)
    // 1.0 to 1.1 s is the end of a vowel, 1.1 to 1.2 s a consonant
    const speedAt = (seconds: number) => points.find((point) => point.seconds >= seconds)?.percent ?? 0
    expect(speedAt(1.15)).toBeGreaterThan(1.5 * speedAt(1.05))
  })
})
