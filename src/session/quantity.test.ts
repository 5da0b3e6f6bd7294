import { describe, expect, it } from 'vitest'
import { type LengthContext, readLength, readPitch } from './quantity'
import { keyInterval, shortestInterval } from './target'

const context: LengthContext = {
  frames: 480_000,
  sampleRate: 48_000,
  stretch: 1.5,
  sourceBpm: 96,
  bpm: 120,
  beatsPerBar: 4,
}
const length = (text: string, unit: Parameters<typeof readLength>[1] = '×') => readLength(text, unit, context)

describe('a length as people write it', () => {
  it.each([
    ['1.25', 1.25],
    ['1,25', 1.25],
    ['4/3', 4 / 3],
    ['125 %', 1.25],
    ['2 x', 2],
    ['12 s', 1.2],
    ['0:12', 1.2],
    ['1:05', 6.5],
    ['1:05.250', 6.525],
    ['1:00:05', 360.5],
    ['500 ms', 0.05],
    ['480000 samples', 1],
    ['8 bars', 1.6],
    ['6 beats', 0.3],
    ['120 BPM', 0.8],
    ['+5 %', 1.575],
    ['−5 %', 1.425],
    ['-0.5', 1],
    ['+1 s', 1.6],
    ['+1 bar', 1.7],
    ['+0:02', 1.7],
  ])('%s', (text, wanted) => expect(length(text)).toBeCloseTo(wanted, 9))

  it('without a unit is in the unit of its field', () => {
    expect(length('125', '%')).toBeCloseTo(1.25, 9)
    expect(length('12', 's')).toBeCloseTo(1.2, 9)
    expect(length('5', 'bars')).toBeCloseTo(1, 9)
    expect(length('192', 'BPM')).toBeCloseTo(0.5, 9)
    // 64 BPM now, 16 more
    expect(length('+16', 'BPM')).toBeCloseTo(96 / 80, 9)
  })

  it.each(['', 'long', '12 q', '1:2:3:4', '0', '-9', '1..2', '5 st', '--3'])('%s is none', (text) => {
    expect(length(text)).toBeUndefined()
  })

  it('cannot be a tempo while the source has none', () => {
    expect(readLength('120 bpm', '×', { ...context, sourceBpm: undefined })).toBeUndefined()
  })
})

describe('a pitch as people write it', () => {
  it.each([
    ['3', 3],
    ['2.5 st', 2.5],
    ['+150 cents', 1.5],
    ['−150 cents', -1.5],
    ['-2 st 30 cents', -2.3],
    ['7 semitones', 7],
    ['C', 0],
    ['F#', 6],
    ['Bb', -2],
    ['B♭', -2],
    ['g', -5],
  ])('%s', (text, wanted) => expect(readPitch(text, 'st', 0)).toBeCloseTo(wanted, 9))

  it('in the field of cents counts in cents, and notes need a root', () => {
    expect(readPitch('150', 'cents', undefined)).toBe(1.5)
    expect(readPitch('F#', 'st', undefined)).toBeUndefined()
    expect(readPitch('F#', 'st', 5)).toBe(1)
  })

  it.each(['', 'high', 'H', '3 %', '50 cents 20 cents'])('%s is none', (text) => {
    expect(readPitch(text, 'st', 0)).toBeUndefined()
  })

  it('knows keys that share their notes', () => {
    const major = (root: number) => ({ root, mode: 'major' as const })
    const minor = (root: number) => ({ root, mode: 'minor' as const })
    // C major to F sharp minor: to A major, whose notes those are
    expect(keyInterval(major(0), minor(6))).toBe(-3)
    expect(keyInterval(minor(9), major(0))).toBe(0)
    expect(keyInterval(major(0), major(6))).toBe(6)
    expect(keyInterval({ root: 2 }, minor(4))).toBe(2)
  })

  it('goes the shorter way', () => {
    for (let from = 0; from < 12; from++)
      for (let to = 0; to < 12; to++) {
        const way = shortestInterval(from, to)
        expect((((from + way - to) % 12) + 12) % 12).toBe(0)
        expect(Math.abs(way)).toBeLessThanOrEqual(6)
      }
  })
})
