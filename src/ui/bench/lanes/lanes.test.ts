import { describe, expect, it } from 'vitest'
import { createRandom } from '../../../core/dsp/random'
import { format } from '../../fields/NumberField'
import { parseNumber } from '../../fields/parseNumber'
import { pitchY, selectionPx } from './draw'
import { clampView, follow, frameAt, pan, ticks, tickText, xOf, zoomAt } from './geometry'
import { press, rangeOf } from './gesture'

describe('pitch in a lane', () => {
  it('goes up with the pitch, an octave always as far, and stays in the lane', () => {
    const step = pitchY(100, 90) - pitchY(200, 90)
    expect(step).toBeGreaterThan(0)
    expect(pitchY(400, 90) - pitchY(800, 90)).toBeCloseTo(step, 9)
    for (const hz of [1, 40, 2000, 20_000]) {
      expect(pitchY(hz, 90)).toBeGreaterThanOrEqual(0)
      expect(pitchY(hz, 90)).toBeLessThanOrEqual(90)
    }
  })
})

describe('the view of the lanes', () => {
  it('turns frames to pixels and back', () => {
    const view = { start: 1000, span: 96_000 }
    for (const frame of [1000, 50_000, 97_000]) expect(frameAt(view, xOf(view, frame, 800), 800)).toBeCloseTo(frame, 6)
  })

  it('zooms around the place under the pointer and never leaves the sound', () => {
    const random = createRandom(4)
    const frames = 480_000
    let view = { start: 0, span: frames }
    for (let n = 0; n < 400; n++) {
      const x = random() * 900
      const before = frameAt(view, x, 900)
      const next = zoomAt(view, x, 0.5 + 1.5 * random(), frames, 900)
      expect(next.start).toBeGreaterThanOrEqual(0)
      expect(next.start + next.span).toBeLessThanOrEqual(frames + 1e-6)
      const free = next.start > 0 && next.start + next.span < frames
      if (free) expect(frameAt(next, x, 900)).toBeCloseTo(before, 3)
      view = pan(next, (random() - 0.5) * 1e5, frames, 900)
    }
    expect(clampView({ start: -5, span: 1 }, 100, 900)).toEqual({ start: 0, span: 100 })
  })

  it('turns a page when the playhead leaves it', () => {
    const view = { start: 0, span: 1000 }
    expect(follow(view, 500, 9000, 10)).toBe(view)
    expect(follow(view, 1000, 9000, 10).start).toBeCloseTo(980, 6)
    expect(follow(view, 8990, 9000, 10).start).toBe(8000)
  })

  it('marks round seconds, with room for every label', () => {
    for (const [from, to] of [
      [0, 10],
      [3.21, 3.4],
      [0, 4000],
      [12, 12.02],
    ] as const) {
      const marks = ticks(from, to, 900, (s) => ((s - from) / (to - from)) * 900, 74)
      const majors = marks.filter((mark) => mark.major)
      expect(majors.length).toBeGreaterThan(0)
      for (let i = 1; i < majors.length; i++)
        expect((majors[i]?.x ?? 0) - (majors[i - 1]?.x ?? 0)).toBeGreaterThanOrEqual(73)
    }
    expect(tickText(3.2, 0.1)).toBe('3.2')
    expect(tickText(75, 5)).toBe('1:15')
    expect(tickText(61.5, 0.5)).toBe('1:01.5')
  })

  it('cuts a selection to what is visible', () => {
    const view = { start: 100, span: 100 }
    expect(selectionPx(view, { start: 50, end: 150 }, 200)).toEqual({ left: 0, width: 100 })
    expect(selectionPx(view, { start: 0, end: 90 }, 200)).toBeUndefined()
  })
})

describe('the pointer on the lanes', () => {
  it('draws a selection from where it was pressed, to either side', () => {
    const pressed = press(100, 5000, undefined, false)
    expect(pressed.isEdge).toBe(false)
    expect(rangeOf(pressed, 3000)).toEqual({ start: 3000, end: 5000 })
    expect(rangeOf(pressed, 7000)).toEqual({ start: 5000, end: 7000 })
  })
  it('takes hold of a selection by its ends, or by the nearer one with Shift', () => {
    const edges = { startX: 50, endX: 200, start: 1000, end: 4000 }
    expect(rangeOf(press(53, 1060, edges, false), 1060)).toEqual({ start: 1060, end: 4000 })
    expect(rangeOf(press(198, 3960, edges, false), 3960)).toEqual({ start: 1000, end: 3960 })
    expect(rangeOf(press(300, 6000, edges, true), 6000)).toEqual({ start: 1000, end: 6000 })
    expect(press(120, 2400, edges, false).isEdge).toBe(false)
  })
})

describe('numbers in fields', () => {
  it.each([
    ['1.25', 1.25],
    ['1,25 ×', 1.25],
    ['+3 st', 3],
    ['−12', -12],
    ['.5', 0.5],
    ['4/3', 4 / 3],
    ['75:70', 75 / 70],
    ['6 s', 6],
  ])('reads %j as %d', (text, value) => {
    expect(parseNumber(text)).toBeCloseTo(value, 12)
  })
  it.each(['', 'tide', '1.2.3', '4/0', '--3'])('reads nothing from %j', (text) => {
    expect(parseNumber(text)).toBeUndefined()
  })
  it('writes them with the digits they need', () => {
    expect(format(1.25, 4)).toBe('1.25')
    expect(format(1, 4)).toBe('1.00')
    expect(format(0.33333, 4)).toBe('0.3333')
    expect(format(-0.0001, 2)).toBe('0.00')
    expect(format(-3, 0, true)).toBe('−3')
    expect(format(3, 0, true)).toBe('+3')
  })
})
