import { describe, expect, it } from 'vitest'
import { type Artefact, type ArtefactId, artefactKind, artefactKinds, gradeOf, unmeasured } from './artefacts'
import { findingsOf } from './grading'
import { figureOf, verdictOf } from './verdict'

const RATE = 48_000
const artefact = (
  id: ArtefactId,
  value: number,
  parts: Record<string, number> = {},
  seconds: number[] = [],
): Artefact => ({
  id,
  value,
  measured: true,
  parts,
  places: seconds.map((at) => ({ sourceFrame: at * RATE, spanFrames: 0, outputFrame: at * RATE, value: 1 })),
})
const verdict = (...artefacts: Artefact[]) => verdictOf({ artefacts, unlikenessDb: 0 }, RATE)
const attacks = (count: number, lost: number[] = [], extra: number[] = []) => [
  artefact('lost-attacks', (100 * lost.length) / count, { lostCount: lost.length, attackCount: count }, lost),
  artefact('extra-attacks', (100 * extra.length) / count, { extraCount: extra.length, attackCount: count }, extra),
]

describe('kinds of harm', () => {
  it.each(artefactKinds.map((kind) => [kind.id, kind] as const))('%s says all that is shown of it', (id, kind) => {
    expect(kind.audibleFrom).toBeGreaterThan(0)
    expect(kind.clearFrom).toBeGreaterThan(kind.audibleFrom)
    expect(kind.severeFrom).toBeGreaterThan(kind.clearFrom)
    for (const text of [kind.threshold, kind.sounds, kind.helps]) expect(text).toMatch(/^[A-Z].*\.$/)
    expect(artefactKind(id)).toBe(kind)
  })
  it('grades begin exactly at their thresholds', () => {
    for (const { id, audibleFrom, clearFrom, severeFrom } of artefactKinds) {
      expect(gradeOf(id, 0)).toBe('not audible')
      expect(gradeOf(id, audibleFrom - 1e-9)).toBe('not audible')
      expect(gradeOf(id, audibleFrom)).toBe('slight')
      expect(gradeOf(id, clearFrom)).toBe('clear')
      expect(gradeOf(id, severeFrom)).toBe('severe')
    }
  })
  it('that could not be measured are 0 and say so', () => {
    expect(unmeasured('image')).toEqual({ id: 'image', value: 0, measured: false, places: [], parts: {} })
  })
})

describe('figures', () => {
  it('have as many digits as they mean', () => {
    expect(figureOf({ id: 'smear', value: 3.1499 })).toBe('3.1 dB')
    expect(figureOf({ id: 'detune', value: 4.44 })).toBe('4.4 cents')
    expect(figureOf({ id: 'detune', value: 23.6 })).toBe('24 cents')
    expect(figureOf({ id: 'lost-attacks', value: 4.76 })).toBe('5 per 100')
    expect(figureOf({ id: 'clicks', value: 1 })).toBe('1 click')
    expect(figureOf({ id: 'clicks', value: 3 })).toBe('3 clicks')
  })
  it('come worst first by how far each is over where it is heard, and leave out what is not', () => {
    const list = [artefact('detune', 6), artefact('smear', 0.5), artefact('flutter', 4), unmeasured('image')]
    expect(findingsOf({ artefacts: list }).map(({ artefact: { id } }) => id)).toEqual(['flutter', 'detune'])
  })
})

describe('the verdict', () => {
  it('is short where there is nothing to say', () => {
    expect(verdict()).toBe('No harm is audible.')
    expect(verdict(...attacks(12))).toBe('Keeps all 12 attacks; no other harm is audible.')
  })
  it('tells what became of the attacks, and where', () => {
    expect(verdict(...attacks(32, [2.5]))).toMatch(/^Keeps 31 of 32 attacks; loses the one at 2\.50 s; no other/)
    expect(verdict(...attacks(32, [1, 2, 3]))).toContain('loses three at 1.00 and 2.00 … s')
    expect(verdict(...attacks(32, [], [4.25]))).toContain('one repeated or made up at 4.25 s')
  })
  it('names four kinds and counts the rest', () => {
    const many = [artefact('smear', 7), artefact('flutter', 2), artefact('detune', 60), artefact('image', 30)]
    expect(verdict(...many)).toBe(
      'Severe detune (60 cents); severe image (30 % moved); severe smear (7.0 dB); clear flutter (2.0 dB).',
    )
    expect(verdict(...many, artefact('level', 1.2))).toMatch(/; one more kind of harm\.$/)
    expect(verdict(...many, artefact('level', 1.2), artefact('balance', 1.1))).toMatch(/; two more kinds of harm\.$/)
  })
})
