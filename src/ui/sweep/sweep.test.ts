import { describe, expect, it } from 'vitest'
import { methods, SWEEP_POINTS, type SweepAxis, type SweepPoint } from '../../core'
import { unmeasured } from '../../core/measure/artefacts'
import type { ChartColours } from '../common/chartColours'
import { heat, mixed, sweepOption } from './chart'
import { breakText, columnOf, placeName, sweepModel, thresholdsOf } from './model'

const ids = methods.map(({ id }) => id)
const point = (at: number, methodId: string, smear: number, axis: SweepAxis = 'length'): SweepPoint => ({
  axis,
  at,
  methodId,
  span: { from: 0, to: 1 },
  measurement: {
    unlikenessDb: 0,
    artefacts: [{ ...unmeasured('smear'), measured: true, value: smear }, unmeasured('image')],
  },
})

describe('columns of a sweep', () => {
  it('lie at their places, and between them by ratio or by semitones', () => {
    for (const axis of ['length', 'far', 'pitch'] as const)
      SWEEP_POINTS[axis].forEach((at, n) => {
        expect(columnOf(axis, at)).toBeCloseTo(n, 9)
      })
    expect(columnOf('length', Math.sqrt(2 * 2.5))).toBeCloseTo(10.5, 9)
    expect(columnOf('length', 1)).toBeGreaterThan(5)
    expect(columnOf('length', 1)).toBeLessThan(6)
    expect(columnOf('pitch', 0)).toBeCloseTo(9.5, 9)
    expect(columnOf('length', 99)).toBe(SWEEP_POINTS.length.length - 1)
  })
  it('are called as people write them', () => {
    expect(placeName('pitch', -5)).toBe('−5 st')
    expect(placeName('pitch', 5)).toBe('+5 st')
    expect(placeName('length', 1.25)).toBe('1.25 ×')
  })
})

describe('what a sweep shows', () => {
  const points = [point(2, 'grain', 7), point(0.5, 'grain', 0.2), point(2, 'splice', 0), point(-3, 'grain', 9, 'pitch')]
  it('has a cell for each point of its axis, rows and columns in order', () => {
    const { cells } = sweepModel('length', ids, points, 'worst')
    expect(cells.map(({ row, column }) => [ids[row], SWEEP_POINTS.length[column]])).toEqual([
      ['splice', 2],
      ['grain', 0.5],
      ['grain', 2],
    ])
  })
  it('names the worst kind where it is audible, and says the figure of a chosen one', () => {
    const worst = sweepModel('length', ids, points, 'worst').cells
    expect(worst.map(({ text }) => text)).toEqual(['', '', 'smear'])
    expect(worst[2]?.told).toBe('worst: smear 7.0 dB')
    const smear = sweepModel('length', ids, points, 'smear').cells
    expect(smear.map(({ text }) => text)).toEqual(['0.0', '0.2', '7.0'])
    const image = sweepModel('length', ids, points, 'image').cells
    expect(image.every(({ severity, value }) => severity === undefined && value === undefined)).toBe(true)
  })
  it('says where a method breaks, or that it holds', () => {
    const { breaks } = sweepModel('length', ids, points, 'smear')
    expect(breakText('length', breaks[ids.indexOf('grain')] as (typeof breaks)[0])).toMatch(
      /^clear harm above 1\.\d+ ×$/,
    )
    expect(breakText('length', breaks[ids.indexOf('splice')] as (typeof breaks)[0])).toBe(
      'holds as far as it was tried',
    )
  })
  it('draws thresholds in the unit of what is drawn', () => {
    expect(thresholdsOf('smear').map(({ at }) => at)).toEqual([1, 3, 6])
    expect(thresholdsOf('worst').map(({ at }) => at)).toEqual([1, 2, 3])
  })
})

const colours: ChartColours = {
  text: '#eef0ec',
  soft: '#a9b4bc',
  faint: '#7f8c96',
  rule: '#232d37',
  edge: '#36434f',
  well: '#090d11',
  harm: '#ff6f59',
  tide: '#4aa8d8',
  onHarm: '#0d1217',
  lanes: ids.map(() => '#58c4b0'),
}

describe('the chart', () => {
  it('has a curve for every method with every figure of it, and a bracket for every break', () => {
    const points = SWEEP_POINTS.length.map((at) => point(at, 'grain', at))
    const model = sweepModel('length', ids, points, 'smear')
    const { series } = sweepOption(model, colours, { left: 0, named: true }) as {
      series: { id: string; data: number[][] }[]
    }
    const curve = series.find(({ id }) => id === 'grain')
    expect(curve?.data.map(([column]) => column)).toEqual(SWEEP_POINTS.length.map((_, n) => n))
    expect(curve?.data[2]?.[1]).toBe(0.5)
    expect(series.find(({ id }) => id === 'breaks')?.data).toHaveLength(1)
    expect(series.filter(({ id }) => ids.includes(id))).toHaveLength(ids.length)
  })
  it('gets hotter with severity and stays between its two colours', () => {
    const red = (text: string) => Number(/\d+/.exec(text)?.[0])
    let before = -1
    for (let severity = 0; severity <= 4; severity += 0.25) {
      const here = red(heat(severity, colours))
      expect(here).toBeGreaterThanOrEqual(before)
      before = here
    }
    expect(mixed('#000000', '#ffffff', 0.5)).toBe('rgb(128,128,128)')
    expect(heat(9, colours)).toBe('rgb(255,111,89)')
  })
})
