import { describe, expect, it } from 'vitest'
import { recipe } from '../testing/recipes'
import { clicks, sine } from '../testing/signals'
import { asOutput, asSource } from '../timeline/axes'
import { comparisonOf } from './comparisonOf'

const source = sine({ hz: 440, seconds: 2 })
const middle = asOutput(40_000)

describe('what a recipe meant to happen', () => {
  it('is its map, and its pitch in semitones as a ratio', () => {
    const { map, pitchRatioAt, formantRatioAt, from } = comparisonOf(
      source,
      source,
      recipe('wsola', { stretch: 1.5, pitchSemitones: 12 }),
    )
    expect(map.outputAt(asSource(48_000))).toBeCloseTo(72_000, 6)
    expect(pitchRatioAt(middle)).toBeCloseTo(2, 9)
    expect(formantRatioAt(middle)).toBeCloseTo(2, 9)
    expect(from).toBe(0)
  })
  it('keeps formants where they are, moves or shifts them, as the recipe says', () => {
    const formants = (change: Parameters<typeof recipe>[1]) =>
      comparisonOf(source, source, recipe('cycle', { pitchSemitones: 7, ...change })).formantRatioAt(middle)
    expect(formants({ formants: 'keep' })).toBe(1)
    expect(formants({ formants: 'move' })).toBeCloseTo(2 ** (7 / 12), 9)
    expect(formants({ formants: 'shift', formantSemitones: -3 })).toBeCloseTo(2 ** (-3 / 12), 9)
  })
  it('is pitch by speed for a method that ties the two', () => {
    const tape = comparisonOf(source, source, recipe('varispeed', { stretch: 2 }))
    expect(tape.pitchRatioAt(middle)).toBeCloseTo(0.5, 9)
    expect(tape.formantRatioAt(middle)).toBeCloseTo(0.5, 9)
    const other = comparisonOf(source, source, recipe('vocoder', { stretch: 2 }))
    expect(other.pitchRatioAt(middle)).toBe(1)
  })
  it('follows a line of pitch by hand over the result', () => {
    const { pitchRatioAt } = comparisonOf(
      source,
      source,
      recipe('vocoder', {
        pitchLine: [
          { outputSeconds: 0, semitones: 0 },
          { outputSeconds: 2, semitones: 12 },
        ],
      }),
    )
    expect(pitchRatioAt(asOutput(0))).toBeCloseTo(1, 9)
    expect(pitchRatioAt(asOutput(48_000))).toBeCloseTo(Math.SQRT2, 6)
  })
  it('holds attacks where the recipe holds them: there the map runs at natural speed', () => {
    const hits = clicks({ at: [0.5, 1.5], seconds: 2 })
    const held = comparisonOf(hits, hits, recipe('vocoder', { stretch: 2, holdPercent: 100 }), [
      { frame: 24_000, strength: 1 },
      { frame: 72_000, strength: 1 },
    ])
    const at = held.map.outputAt(asSource(24_000))
    expect(held.map.speedAt(asOutput(at + 1000))).toBeCloseTo(1, 6)
    expect(held.map.speedAt(asOutput(at + 30_000))).toBeLessThan(0.5)
  })
})
