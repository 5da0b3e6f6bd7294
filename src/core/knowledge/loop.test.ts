import { describe, expect, it } from 'vitest'
import { loopOf, wholeBars } from './loop'
import { suggestMethod } from './suggestMethod'
import type { Tempo } from './tempo'

const tempo = (part: Partial<Tempo>): Tempo => ({
  bpm: 120,
  confidence: 0.9,
  candidates: [],
  beats: [0, 0.5, 1, 1.5],
  beatsPerBar: 4,
  firstBar: 0,
  drift: { percent: 0, bars: [] },
  ...part,
})

describe('whole bars', () => {
  it('are all of a clean loop, with nothing over', () => {
    for (const bars of [1, 2, 4, 16]) {
      expect(wholeBars(0, 2, 2 * bars, [2 * bars - 0.5])).toMatchObject({ bars, overhangMs: 0, endSeconds: 2 * bars })
    }
  })
  it('leave a tail that hangs over, and count a bar whose cut came a little early', () => {
    expect(wholeBars(0, 2, 8.37, [7.5])?.overhangMs).toBeCloseTo(370, 6)
    const early = wholeBars(0, 2, 7.99, [7.5])
    expect(early?.bars).toBe(4)
    expect(early?.overhangMs).toBeCloseTo(-10, 6)
    expect(early?.endSeconds).toBe(7.99)
    expect(wholeBars(0, 2, 7.9, [7.5])?.bars).toBe(3)
  })
  it('end with the last bar in which anything is struck', () => {
    expect(wholeBars(0, 2, 8.5, [0, 2, 3.7])?.bars).toBe(2)
    expect(wholeBars(0, 2, 8.5, [0, 2, 4])?.bars).toBe(3)
  })
  it('begin at the first bar, and are none in what is shorter than one', () => {
    expect(wholeBars(0.7, 2, 4.7, [4])).toMatchObject({ bars: 2, startSeconds: 0.7, endSeconds: 4.7 })
    expect(wholeBars(0, 2, 1.5, [1])).toBeUndefined()
  })
})

describe('a loop', () => {
  it('is told where the tempo is steady and sure', () => {
    expect(loopOf(tempo({}), 8, [7.5])).toMatchObject({ bars: 4, overhangMs: 0 })
    expect(loopOf(tempo({ beatsPerBar: 3 }), 6, [5.5])?.bars).toBe(4)
    expect(loopOf(tempo({ firstBar: 2 }), 9, [8.5])).toMatchObject({ startSeconds: 1, bars: 4 })
  })
  it('is none without a tempo, with a doubtful one, or where the player drifts', () => {
    expect(loopOf(tempo({ bpm: undefined }), 8, [])).toBeUndefined()
    expect(loopOf(tempo({ confidence: 0.2 }), 8, [])).toBeUndefined()
    expect(loopOf(tempo({ drift: { percent: 2, bars: [] } }), 8, [])).toBeUndefined()
    expect(loopOf(tempo({ beats: [], firstBar: 0 }), 8, [])).toBeUndefined()
  })
})

describe('the method to start with', () => {
  it('goes by the kind, and far out by the distance', () => {
    const of = (kind: Parameters<typeof suggestMethod>[0]['kind'], stretch = 1.2) =>
      suggestMethod({ kind }, stretch).methodId
    expect(of('hits')).toBe('splice')
    expect(of('hits', 20)).toBe('splice')
    expect(of('chords')).toBe('vocoder')
    expect(of('chords', 20)).toBe('drift')
    expect(of('single line')).toBe('cycle')
    expect(of('noise')).toBe('drift')
    expect(of('unsure')).toBe('layered')
    expect(suggestMethod({ kind: 'hits' }, 1).why).toMatch(/\w/)
  })
})
