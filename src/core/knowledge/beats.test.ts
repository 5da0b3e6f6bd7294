import { describe, expect, it } from 'vitest'
import { createRandom, gaussian } from '../dsp/random'
import { fitGrid, followBeats, keepsToBeats } from './beats'

const stroke = (seconds: number) => ({ seconds, all: 1, low: 0.5, high: 0.5 })

describe('fitGrid', () => {
  it('finds beat and phase of a grid from a guess a hundredth off, over hundreds of beats', () => {
    const random = createRandom(5)
    for (const bpm of [63, 96.5, 174]) {
      const beat = 60 / bpm
      const strokes = Array.from({ length: 400 }, (_, n) => stroke(0.2 + (n / 2) * beat + 0.002 * gaussian(random)))
      const grid = fitGrid(strokes, beat * 1.01, 0.2)
      expect((grid?.beatSeconds as number) / beat).toBeCloseTo(1, 4)
      expect(Math.abs((grid?.firstSeconds as number) - 0.2)).toBeLessThan(0.003)
      expect(grid?.share).toBeGreaterThan(0.95)
    }
  })

  it('lets swing move the off-beats and not the tempo', () => {
    const strokes = Array.from({ length: 128 }, (_, n) => stroke((n / 4) * 0.6 + (n % 2 === 1 ? 0.03 : 0)))
    const grid = fitGrid(strokes, 0.6, 0)
    expect(grid?.beatSeconds).toBeCloseTo(0.6, 4)
    expect(grid?.looseMs).toBeLessThan(1)
  })

  it('says nothing of two strokes', () => {
    expect(fitGrid([stroke(0), stroke(1)], 0.5, 0)).toBeUndefined()
  })
})

describe('followBeats', () => {
  it('goes with a tempo that wanders, beat by beat', () => {
    const truth = [0.1]
    for (let n = 0; n < 40; n++) truth.push((truth.at(-1) as number) + 0.6 + 0.05 * Math.sin(n / 6))
    const novelty = new Float64Array(Math.ceil(((truth.at(-1) as number) + 0.4) * 200))
    for (const at of truth) novelty[Math.round(at * 200)] = 1
    const beats = followBeats(novelty, 200, 0.6, truth.map(stroke))
    const met = truth.filter((at) => beats.some((beat) => Math.abs(beat - at) < 0.02))
    expect(met.length).toBeGreaterThan(38)
  })
})

describe('keepsToBeats', () => {
  it('is 1 for strokes on quarters of beats, and low for strokes anywhere', () => {
    const beats = Array.from({ length: 50 }, (_, n) => n * 0.5)
    const random = createRandom(2)
    expect(
      keepsToBeats(
        beats,
        Array.from({ length: 190 }, (_, n) => stroke(n * 0.125)),
      ),
    ).toBeCloseTo(1, 6)
    expect(
      keepsToBeats(
        beats,
        Array.from({ length: 400 }, () => stroke(24 * random())),
      ),
    ).toBeLessThan(0.15)
    expect(keepsToBeats([], [stroke(1)])).toBe(0)
  })
})
