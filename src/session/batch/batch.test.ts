import { describe, expect, it } from 'vitest'
import { AppError } from '../../core'
import { resultNames } from './names'
import { type BatchWish, type FileKnown, planFile } from './plan'
import { type BatchRow, FIRST_BATCH, readBatchFile, readBatchRun, wishOf } from './settings'
import { summaryOf } from './summary'

const size = { frames: 48_000 * 4, sampleRate: 48_000 }
const known = (part: {
  bpm?: number
  sure?: number
  root?: number
  mode?: 'major' | 'minor'
  keySure?: number
}): FileKnown => ({
  tempo: () => ({ bpm: part.bpm, confidence: part.sure ?? 1 }),
  pitch: () => ({ root: part.root, mode: part.mode, confidence: part.keySure ?? 1 }),
  material: () => ({ kind: 'hits' }),
  hasMaterial: () => true,
})
const wish = (part: Partial<BatchWish>): BatchWish => ({
  aim: { kind: 'stretch', stretch: 1 },
  key: undefined,
  semitones: 0,
  method: undefined,
  ...part,
})

describe('planFile', () => {
  it('brings any tempo to the one that is wanted', () => {
    for (const bpm of [60, 96.5, 174])
      for (const to of [80, 120]) {
        const { stretch } = planFile(wish({ aim: { kind: 'bpm', from: undefined, to } }), size, known({ bpm }), 'a.wav')
        expect(bpm / stretch).toBeCloseTo(to, 9)
      }
  })

  it('takes a tempo that was said over the one that was found, and asks for nothing then', () => {
    const asked: string[] = []
    const own: FileKnown = {
      ...known({ bpm: 90 }),
      tempo() {
        asked.push('tempo')
        return { bpm: 90, confidence: 1 }
      },
    }
    expect(planFile(wish({ aim: { kind: 'bpm', from: 100, to: 50 } }), size, own, 'a.wav').stretch).toBe(2)
    expect(asked).toEqual([])
  })

  it('makes nothing by a tempo that is not clear, and is in doubt about one that is nearly so', () => {
    const to = wish({ aim: { kind: 'bpm', from: undefined, to: 120 } })
    expect(() => planFile(to, size, known({ bpm: 100, sure: 0.3 }), 'a.wav')).toThrow(AppError)
    expect(planFile(to, size, known({ bpm: 100, sure: 0.6 }), 'a.wav').doubts).toEqual(['tempo 60 % sure'])
    expect(planFile(to, size, known({ bpm: 100, sure: 0.9 }), 'a.wav').doubts).toEqual([])
  })

  it('goes to a key by the shorter way, with the relative one between major and minor', () => {
    const semitones = (root: number, mode: 'major' | 'minor') =>
      planFile(wish({ key: { root: 9, mode: 'minor' } }), size, known({ root, mode }), 'a.wav').semitones
    expect(semitones(9, 'minor')).toBe(0)
    expect(semitones(7, 'minor')).toBe(2)
    expect(semitones(0, 'major')).toBe(0)
    for (let root = 0; root < 12; root++) expect(Math.abs(semitones(root, 'minor'))).toBeLessThanOrEqual(6)
  })

  it('leaves the pitch where no key is found, and says so', () => {
    const plan = planFile(wish({ key: { root: 2, mode: undefined }, semitones: 3 }), size, known({}), 'a.wav')
    expect(plan.semitones).toBe(3)
    expect(plan.doubts).toContain('no key found: its pitch stays')
  })

  it('is in doubt about what is far from natural, and asks no material where nothing changes', () => {
    expect(planFile(wish({ aim: { kind: 'stretch', stretch: 12 } }), size, known({}), 'a.wav').doubts[0]).toContain(
      'clearly',
    )
    expect(planFile(wish({}), size, known({}), 'a.wav').methodId).toBeUndefined()
  })
})

describe('wishOf', () => {
  it('lets what is said of one file go over what is said of all', () => {
    const all = { ...FIRST_BATCH, bpm: 120, semitones: 2, key: { root: 4 }, method: 'splice' as const }
    expect(wishOf(all)).toMatchObject({ aim: { kind: 'bpm', to: 120 }, semitones: 2, method: 'splice', advised: false })
    expect(wishOf(all, { stretch: 3, semitones: 0, method: 'advice' })).toEqual({
      aim: { kind: 'stretch', stretch: 3 },
      key: undefined,
      semitones: 0,
      method: undefined,
      advised: true,
    })
    expect(wishOf(all, { bpm: 60 }).aim).toEqual({ kind: 'bpm', from: 60, to: 120 })
  })
})

describe('resultNames', () => {
  it('keeps folders, and calls no two files the same, whatever the letters', () => {
    const names = ['a/tide.aif', 'a/Tide.wav', 'a/tide.flac', 'b/tide.wav', '.hidden', 'no ending']
    const made = resultNames(names, 'wav')
    expect(made).toEqual([
      'a/tide.wav',
      'a/Tide.wav.wav',
      'a/tide.flac.wav',
      'b/tide.wav',
      '.hidden.wav',
      'no ending.wav',
    ])
    expect(new Set(made.map((name) => name.toLowerCase())).size).toBe(names.length)
  })
})

describe('summaryOf', () => {
  it('lists what failed first, then what was harmed most, and keeps commas and quotes', () => {
    const row = (file: string, part: Partial<BatchRow>): BatchRow => ({
      file,
      output: file,
      status: 'done',
      doubts: [],
      ...part,
    })
    const text = summaryOf([
      row('fine.wav', { harm: { verdict: 'none', severity: 0 } }),
      row('bad, very.wav', { harm: { verdict: 'x', severity: 2.5 } }),
      row('strained.wav', { reading: 'clearly stretched' }),
      row('gone.wav', { status: 'failed', error: 'it said "no"' }),
    ])
    const lines = text.trim().split('\n')
    expect(lines.map((line) => line.split(/,(?! )/)[0])).toEqual([
      'file',
      'gone.wav',
      '"bad, very.wav"',
      'strained.wav',
      'fine.wav',
    ])
    expect(lines[1]).toContain('"it said ""no"""')
  })
})

describe('what is written down of a batch', () => {
  const run = { settings: {}, measure: true, to: 'zip', paused: false }
  const file = { id: 'a', order: 0, path: 'a.wav', output: 'a.wav', stretch: 1.5, semitones: 0, doubts: [] }
  it('is read as it was', () => {
    expect(readBatchRun(run)).toMatchObject({ measure: true, to: 'zip' })
    expect(readBatchFile(file)).toEqual(file)
  })
  it('is nothing where it does not hold', () => {
    for (const wrong of [
      null,
      1,
      [],
      {},
      { ...file, stretch: 'x' },
      { ...file, method: 'no such' },
      { ...file, id: '' },
    ])
      expect(readBatchFile(wrong)).toBeUndefined()
    for (const wrong of [null, 1, {}, { ...run, to: 'the moon' }]) expect(readBatchRun(wrong)).toBeUndefined()
  })
})
