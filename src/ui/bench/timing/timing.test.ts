import { describe, expect, it } from 'vitest'
import type { TimedDot } from '../../../session'
import { dotAt, lateOf, msOfPx, reachOf, yOf } from './plot'
import { drawnCurve, movedPoint, percentOfY, roundPercent, SPEED_REACHES, yOfPercent } from './speed'
import { lateText } from './words'

const dot = (seconds: number, ms: number, ownMs = ms): TimedDot => ({
  seconds: seconds + ms / 1000,
  strength: 0.5,
  step: Math.round(seconds * 8),
  offset: ms / 1000,
  own: seconds + ownMs / 1000,
  ownOffset: ownMs / 1000,
  straight: seconds,
  bent: seconds,
  byHand: false,
  isBare: false,
})

describe('the off-grid plot', () => {
  const dots = [dot(1, 12), dot(2, -30, 0), dot(3, 0)]
  const shape = { view: { start: 0, span: 48_000 * 4 }, widthPx: 800, rate: 48_000, reach: 40 }

  it('reaches as far as its dots do, before and now', () => {
    expect(reachOf([])).toBe(20)
    expect(reachOf(dots)).toBe(40)
    expect(reachOf([dot(1, 5, 700)])).toBe(700)
  })
  it('lies late up and early down, pixels and ms the same both ways', () => {
    expect(yOf(10, 40)).toBeLessThan(yOf(0, 40))
    for (const ms of [-40, -3, 0, 25]) expect(msOfPx(yOf(ms, 40) - yOf(0, 40), 40)).toBeCloseTo(ms, 9)
    expect(lateOf(dots[1] as TimedDot, 'before')).toBeCloseTo(-30, 9)
    expect(lateOf(dots[1] as TimedDot, 'now')).toBeCloseTo(0, 9)
  })
  it('gives the dot under the pointer where it sounds now, and none far from all', () => {
    expect(dotAt(dots, 396, yOf(0, 40) + 3, shape)).toBe(dots[1])
    expect(dotAt(dots, 204, yOf(12, 40), shape)).toBe(dots[0])
    expect(dotAt(dots, 300, 10, shape)).toBeUndefined()
  })
  it('says how far off something is', () => {
    expect([lateText(0.01), lateText(-3.24), lateText(18)]).toEqual(['on the grid', '3.2 ms early', '18.0 ms late'])
  })
})

describe('the speed strip', () => {
  it('is by ratio: twice and half as fast are as far from as it is, and back', () => {
    const reach = SPEED_REACHES[0]
    expect(yOfPercent(100, reach, 96) - yOfPercent(200, reach, 96)).toBeCloseTo(
      yOfPercent(50, reach, 96) - yOfPercent(100, reach, 96),
      9,
    )
    for (const percent of [50, 80, 123, 200])
      expect(percentOfY(yOfPercent(percent, reach, 96), reach, 96)).toBeCloseTo(percent, 6)
  })
  it('lays a pulled point on round speeds that are near, and between its neighbours', () => {
    expect([roundPercent(79.3), roundPercent(84.04), roundPercent(99)]).toEqual([80, 84, 100])
    const points = [
      { seconds: 1, percent: 100 },
      { seconds: 2, percent: 80 },
      { seconds: 3, percent: 100 },
    ]
    expect(movedPoint(points, 1, { seconds: 9, percent: 9000 }, 5)[1]).toEqual({ seconds: 3, percent: 2000 })
    expect(movedPoint(points, 2, { seconds: 9, percent: 50 }, 5)[2]).toEqual({ seconds: 5, percent: 50 })
  })
  it('is drawn from end to end, gently where it is to be', () => {
    expect(drawnCurve([], 4)).toEqual([
      { seconds: 0, percent: 100 },
      { seconds: 4, percent: 100 },
    ])
    const line = drawnCurve(
      [
        { seconds: 1, percent: 100, curve: 'curved' },
        { seconds: 2, percent: 50 },
      ],
      4,
    )
    expect(line[0]).toEqual({ seconds: 0, percent: 100 })
    expect(line.at(-1)).toEqual({ seconds: 4, percent: 50 })
    const near = line.filter(({ seconds }) => seconds > 1 && seconds < 1.2).map(({ percent }) => percent)
    for (const percent of near) expect(percent).toBeGreaterThan(94)
  })
})
