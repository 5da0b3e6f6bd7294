import { describe, expect, it } from 'vitest'
import { type Arrangement, layMix, type MixPart, naturalRange, openMetre, openTempo, type TempoLine } from '../../core'
import { createOverviewBuilder } from '../../core/analysis/overview'
import { attackBeats, columnsOf, isLoose, offGrid, type PartDrawing } from './drawPart'
import { barText, beatOfX, gridLines, scrolledBeats, tempiInSight, xOfBeat, zoomedBeats } from './geometry'
import { strainOf } from './strain'

const RATE = 48_000
const tempoLine: TempoLine = [
  { beat: 0, bpm: 120, curve: 'linear' },
  { beat: 16, bpm: 90 },
]
const part = (change: Partial<MixPart> = {}): MixPart => ({
  id: 'p',
  row: 0,
  source: 's',
  recipe: { version: 1, stretch: 1, pitchSemitones: 0, formants: 'move', methodId: 'splice', settings: {}, seed: 1 },
  lock: 'bars',
  startBeat: 2,
  offset: 0,
  feel: 1,
  repeat: false,
  gainDb: 0,
  fadeIn: 0,
  fadeOut: 0,
  own: { bpm: 100, firstBeat: 0 },
  ...change,
})

/** A part of a sound of eight beats at 100 BPM that is silent but for a pulse on each beat. */
function drawn(change: Partial<MixPart> = {}): PartDrawing {
  const frames = Math.round(8 * 0.6 * RATE)
  const pulses = Float32Array.from({ length: frames }, (_, i) => (i % Math.round(0.6 * RATE) < 480 ? 0.8 : 0))
  const builder = createOverviewBuilder(frames)
  builder.add([pulses], frames)
  const arrangement: Arrangement = {
    tempoLine,
    metre: [],
    rows: [{ gainDb: 0, muted: false, solo: false }],
    parts: [part(change)],
  }
  const [laid] = layMix(arrangement, () => ({ frames, sampleRate: RATE }), RATE).parts
  if (!laid) throw new Error('not laid')
  return {
    laid,
    view: { start: 0, span: 32 },
    widthPx: 3200,
    tempo: openTempo(tempoLine),
    rate: RATE,
    sampleRate: RATE,
    overview: builder.finish(),
    attacks: Array.from({ length: 8 }, (_, n) => n * Math.round(0.6 * RATE)),
  }
}

describe('a part as it is drawn', () => {
  it('has its attacks, and the waveform of its pulses, on the beats that it follows, under any ramp', () => {
    const drawing = drawn()
    const beats = attackBeats(drawing)
    expect(beats).toHaveLength(8)
    beats.forEach((beat, n) => {
      expect(beat).toBeCloseTo(2 + n, 3)
      expect(isLoose(beat)).toBe(false)
    })
    const columns = columnsOf(drawing, 0, 3200)
    for (let n = 0; n < 8; n++) {
      const at = (beat: number) => columns.find(({ x }) => x === Math.round(xOfBeat(drawing.view, beat, 3200)))
      expect(at(2 + n)?.high).toBeGreaterThan(0.7)
      expect(at(2.5 + n)?.high ?? 0).toBeLessThan(0.01)
    }
  })
  it('shows every round of one that repeats, and half of one in double time', () => {
    expect(attackBeats(drawn({ repeat: true, beats: 20 }))).toHaveLength(20)
    const double = attackBeats(drawn({ feel: 2 }))
    double.forEach((beat, n) => {
      expect(beat).toBeCloseTo(2 + n / 2, 3)
    })
  })
  it('tells what lies off the grid, and to which side', () => {
    expect(offGrid(3.26)).toBeCloseTo(0.04, 9)
    expect(offGrid(2.98)).toBeCloseTo(-0.08, 9)
    expect([3.26, 2.98, 3.05, 2.9].map(isLoose)).toEqual([false, false, true, true])
  })
})

describe('the strain of a part', () => {
  it('is that of the worst of it, in words, with the reading that is nearer', () => {
    const range = naturalRange('hits')
    // 100 BPM on 120 to 90: from 0.83 to 1.11 times as long
    expect(strainOf(drawn().laid, range)).toMatchObject({ grade: 'none', words: 'natural', other: undefined })
    const slow = strainOf(drawn({ own: { bpm: 200, firstBeat: 0 } }).laid, range)
    expect(slow.grade).not.toBe('none')
    expect(slow.words).toMatch(/stretched/)
    expect(slow.other).toEqual({ feel: 2, words: 'double time' })
    expect(strainOf(drawn({ lock: 'seconds', recipe: { ...part().recipe, stretch: 3 } }).laid, range)).toMatchObject({
      grade: 'clear',
      other: undefined,
    })
    const low = strainOf(drawn({ recipe: { ...part().recipe, pitchSemitones: -9 } }).laid, range)
    expect(low.words).toMatch(/lowered/)
  })
})

describe('bars in sight', () => {
  const view = { start: -0.5, span: 64 }
  it('go from beats to pixels and back, stay put where one zooms, and never before the first', () => {
    for (const beat of [0, 3.3, 40]) expect(beatOfX(view, xOfBeat(view, beat, 1000), 1000)).toBeCloseTo(beat, 9)
    const near = zoomedBeats(view, 4, 20)
    expect(xOfBeat(near, 20, 1000)).toBeCloseTo(xOfBeat(view, 20, 1000), 6)
    expect(scrolledBeats(view, -5).start).toBe(-0.5)
  })
  it('are counted through a change of metre, and only as many as have room', () => {
    const metre = openMetre([
      { bar: 0, beatsPerBar: 4 },
      { bar: 2, beatsPerBar: 3 },
    ])
    const lines = gridLines({ start: 0, span: 16 }, 1600, metre)
    expect(lines.filter(({ bar }) => bar !== undefined).map(({ beat, bar }) => [beat, bar])).toEqual([
      [0, 1],
      [4, 2],
      [8, 3],
      [11, 4],
      [14, 5],
    ])
    const far = gridLines({ start: 0, span: 4000 }, 1000, metre)
    expect(far.length).toBeLessThan(150)
    for (let n = 1; n < far.length; n++) expect((far[n]?.x ?? 0) - (far[n - 1]?.x ?? 0)).toBeGreaterThan(8)
    expect(barText(metre, 9.5)).toBe('3.2')
  })
  it('leave room above and below a tempo line', () => {
    expect(tempiInSight([100])).toEqual({ least: 92, most: 108 })
    const { least, most } = tempiInSight([60, 180])
    expect([least < 60, most > 180]).toEqual([true, true])
  })
})
