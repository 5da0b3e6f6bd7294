import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { asOutput, asSource } from './axes'
import { constantPitch, tunedMap } from './pitchLine'
import { straightMap, stretchForFrames } from './timeMap'

describe('straightMap', () => {
  it('is undone by its inverse, anywhere', () => {
    const random = createRandom(12)
    for (let n = 0; n < 200; n++) {
      const map = straightMap(Math.floor(random() * 1e6), 0.1 + random() * 50)
      const frame = (random() - 0.2) * 2e6
      expect(map.sourceAt(map.outputAt(asSource(frame)))).toBeCloseTo(frame, 5)
      expect(map.outputAt(map.sourceAt(asOutput(frame)))).toBeCloseTo(frame, 5)
    }
  })

  it('has the rounded mapped length', () => {
    expect(straightMap(480_000, 1.25).outputFrames).toBe(600_000)
    expect(straightMap(3, 0.5).outputFrames).toBe(2)
    expect(straightMap(0, 2).outputFrames).toBe(0)
  })

  it('reaches any whole length through the stretch for it', () => {
    const random = createRandom(3)
    for (let n = 0; n < 2000; n++) {
      const source = 1 + Math.floor(random() * 5e6)
      const wanted = Math.max(1, Math.floor(source * (0.1 + random() * 20)))
      expect(straightMap(source, stretchForFrames(source, wanted)).outputFrames).toBe(wanted)
    }
  })

  it.each([0, -1, Number.NaN, Number.POSITIVE_INFINITY])('refuses a stretch of %d', (stretch) => {
    expect(() => straightMap(100, stretch)).toThrow(RangeError)
  })
})

describe('tunedMap', () => {
  it('leads from the axis stretched by the pitch back to the same place in the source', () => {
    const map = straightMap(48_000, 1.5)
    const pitch = constantPitch(7)
    const tuned = tunedMap(map, pitch)
    for (const output of [0, 100, 40_000]) {
      expect(tuned.sourceAt(asOutput(pitch.toTuned(asOutput(output))))).toBeCloseTo(map.sourceAt(asOutput(output)), 6)
    }
    expect(tuned.speedAt(asOutput(5))).toBeCloseTo(1 / 1.5 / 2 ** (7 / 12), 12)
    expect(tuned.outputAt(tuned.sourceAt(asOutput(777)))).toBeCloseTo(777, 6)
  })
})
