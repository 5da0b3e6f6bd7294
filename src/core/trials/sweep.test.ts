import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { type Artefact, type ArtefactId, artefactKind, unmeasured } from '../measure/artefacts'
import { checkRecipe } from '../render/recipe'
import {
  bestCurve,
  breaksOf,
  curveOf,
  measuredRange,
  pointSeverity,
  SWEEP_POINTS,
  type SweepAxis,
  type SweepPoint,
  spreadOrder,
  sweepRecipe,
  sweepSeconds,
} from './sweep'
import { sweepCsv, sweepData } from './sweepTable'

const AXES: readonly SweepAxis[] = ['length', 'far', 'pitch']
const base = { formants: 'move', formantSemitones: 0, holdPercent: 0 } as const

/** A point whose only harm is some smear. */
function point(axis: SweepAxis, at: number, methodId: string, smearDb: number): SweepPoint {
  const smear: Artefact = { ...unmeasured('smear'), measured: true, value: smearDb }
  return {
    axis,
    at,
    methodId,
    span: { from: 0, to: 48_000 },
    measurement: { unlikenessDb: 1, artefacts: [smear, unmeasured('image')] },
  }
}

/** Smear that gets clear just where a stretch or a pitch reaches `low` or `high`. */
function sweep(axis: SweepAxis, methodId: string, low: number, high: number): SweepPoint[] {
  const along = (at: number) => (axis === 'pitch' ? at : Math.log(at))
  const clear = artefactKind('smear').clearFrom
  return SWEEP_POINTS[axis].map((at) => {
    const share = along(at) < 0 ? along(at) / along(low) : along(at) / along(high)
    return point(axis, at, methodId, clear * share)
  })
}

describe('the places of a sweep', () => {
  it('rise, leave out the sound as it is, and make recipes that hold', () => {
    for (const axis of AXES) {
      const places = SWEEP_POINTS[axis]
      expect([...places].sort((a, b) => a - b)).toEqual(places)
      for (const at of places) {
        const recipe = sweepRecipe(base, 'vocoder', axis, at)
        expect(checkRecipe(recipe)).toEqual(recipe)
        expect(recipe.stretch !== 1 || recipe.pitchSemitones !== 0).toBe(true)
      }
    }
    expect(SWEEP_POINTS.length[0]).toBe(0.25)
    expect(SWEEP_POINTS.length.at(-1)).toBe(16)
    expect(SWEEP_POINTS.far.at(-1)).toBe(200)
    expect([SWEEP_POINTS.pitch[0], SWEEP_POINTS.pitch.at(-1)]).toEqual([-24, 24])
  })

  it('change one quantity, and take formants and hold from the target', () => {
    const held = sweepRecipe({ formants: 'shift', formantSemitones: -3, holdPercent: 40 }, 'cycle', 'pitch', 5)
    expect(held).toMatchObject({
      stretch: 1,
      pitchSemitones: 5,
      formants: 'shift',
      formantSemitones: -3,
      holdPercent: 40,
    })
    expect(sweepRecipe(base, 'cycle', 'length', 2)).not.toHaveProperty('holdPercent')
  })

  it('try as much of the source as is bearable: more of a longer result, never without end', () => {
    let before = 0
    for (const at of [...SWEEP_POINTS.length, ...SWEEP_POINTS.far]) {
      const seconds = sweepSeconds('length', at)
      expect(seconds).toBeGreaterThanOrEqual(before)
      expect(seconds).toBeLessThanOrEqual(20)
      before = seconds
    }
    expect(sweepSeconds('length', 0.25)).toBeCloseTo(0.25 * sweepSeconds('pitch', 1), 9)
  })

  it('are gone through all over first, each once', () => {
    for (const count of [1, 2, 7, 18, 20]) {
      const order = spreadOrder(count)
      expect([...order].sort((a, b) => a - b)).toEqual(Array.from({ length: count }, (_, n) => n))
    }
    const first = spreadOrder(20).slice(0, 5)
    expect(Math.max(...first) - Math.min(...first)).toBeGreaterThan(12)
  })
})

describe('where a method breaks', () => {
  it('is found between places, by ratio for lengths and by semitones for pitches', () => {
    const random = createRandom(7)
    for (let n = 0; n < 60; n++) {
      const low = 0.3 + 0.5 * random()
      const high = 1.2 + 12 * random()
      const lengths = breaksOf('length', curveOf(sweep('length', 'grain', low, high), 'grain', 'smear'), 2)
      // severity is bent where grades meet, so a place between two is known to within them
      expect(Math.abs(Math.log(lengths.low as number) - Math.log(low))).toBeLessThan(0.2)
      expect(Math.abs(Math.log(lengths.high as number) - Math.log(high))).toBeLessThan(0.2)
      const down = -2 - 20 * random()
      const up = 2 + 20 * random()
      const pitches = breaksOf('pitch', curveOf(sweep('pitch', 'grain', down, up), 'grain', 'smear'), 2)
      expect(Math.abs((pitches.low as number) - down)).toBeLessThan(1.5)
      expect(Math.abs((pitches.high as number) - up)).toBeLessThan(1.5)
    }
  })

  it('is where it breaks first on the way out, though it may be better again beyond', () => {
    const curve = [
      { at: 1.1, severity: 0.5 },
      { at: 1.25, severity: 3 },
      { at: 1.5, severity: 0.2 },
      { at: 2, severity: 3 },
    ]
    const { high, low } = breaksOf('length', curve, 2)
    expect(high).toBeGreaterThan(1.1)
    expect(high).toBeLessThan(1.25)
    expect(low).toBeUndefined()
  })

  it('is nowhere when it holds, and then it is told how far was tried', () => {
    const curve = [0.5, 0.8, 1.25, 4].map((at) => ({ at, severity: 1.2 }))
    const breaks = breaksOf('length', curve, 2)
    expect(breaks).toMatchObject({ low: undefined, high: undefined })
    expect(breaks.least).toBeCloseTo(0.5, 12)
    expect(breaks.most).toBeCloseTo(4, 12)
    expect(breaksOf('length', [], 2)).toEqual({ low: undefined, high: undefined, least: 1, most: 1 })
  })

  it('says nothing of a kind that could not be measured', () => {
    const lone = point('length', 2, 'grain', 4)
    expect(pointSeverity(lone, 'image')).toBeUndefined()
    expect(curveOf([lone], 'grain', 'image')).toEqual([])
    expect(pointSeverity(lone, 'worst')).toBeGreaterThan(2)
  })
})

describe('the measured range', () => {
  const both = [...sweep('length', 'grain', 0.5, 2), ...sweep('length', 'splice', 0.8, 6)]
  it('goes as far as the best of the methods at every place', () => {
    const { natural, slight } = measuredRange(both)
    expect(natural?.[0]).toBeCloseTo(0.5, 1)
    expect(natural?.[1]).toBeGreaterThan(5)
    expect(natural?.[1]).toBeLessThan(7)
    expect(slight?.[0]).toBeLessThanOrEqual(natural?.[0] as number)
    expect(slight?.[1]).toBeGreaterThanOrEqual(natural?.[1] as number)
    for (const { at, severity } of bestCurve(both)) {
      const of = both.filter((one) => one.at === at).map((one) => pointSeverity(one, 'worst') as number)
      expect(severity).toBe(Math.min(...of))
    }
  })
  it('is not told before every place has been tried, and for pitches is the narrower side', () => {
    expect(measuredRange(both.filter(({ at }) => at !== 3))).toEqual({})
    const pitches = measuredRange(sweep('pitch', 'vocoder', -4, 9))
    expect(pitches.natural).toBeUndefined()
    expect(pitches.naturalPitch).toBeGreaterThan(3)
    expect(pitches.naturalPitch).toBeLessThan(5)
  })
})

describe('a sweep for others', () => {
  const points = [...sweep('length', 'grain', 0.5, 2), point('pitch', 3, 'grain', 1)]
  it('as data has every point of its axis, in order, with every figure', () => {
    const data = sweepData('Rope winch', 'length', points, 48_000)
    expect(data.points.map(({ at }) => at)).toEqual(SWEEP_POINTS.length)
    expect(data.points[0]?.artefacts.map(({ id }) => id)).toEqual(['smear', 'image'] satisfies ArtefactId[])
    expect(data.points[0]?.tried).toEqual({ fromSeconds: 0, toSeconds: 1 })
    const [row] = data.breaks
    expect(row?.clear.high).toBeCloseTo(2, 1)
    expect(JSON.parse(JSON.stringify(data))).toEqual(data)
  })
  it('as a table has a line for each figure that was measured, and nothing else', () => {
    const lines = sweepCsv('length', points).trimEnd().split('\r\n')
    expect(lines).toHaveLength(1 + SWEEP_POINTS.length.length)
    expect(lines[0]?.split(',')).toHaveLength(7)
    for (const line of lines) expect(line.split(',')).toHaveLength(7)
    expect(sweepCsv('pitch', points)).toContain('3,grain,smear,1,dB,1,slight')
  })
})
