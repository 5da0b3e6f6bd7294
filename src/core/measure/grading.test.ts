import { describe, expect, it } from 'vitest'
import { artefactKinds, gradeOf, unmeasured } from './artefacts'
import { SEVERITY, severityOf, worstOf } from './grading'

describe('severity', () => {
  it('has its steps where the grades of every kind have theirs', () => {
    for (const { id, audibleFrom, clearFrom, severeFrom } of artefactKinds) {
      expect(severityOf(id, 0)).toBe(0)
      expect(severityOf(id, audibleFrom)).toBeCloseTo(SEVERITY.audible, 9)
      expect(severityOf(id, clearFrom)).toBeCloseTo(SEVERITY.clear, 9)
      expect(severityOf(id, severeFrom)).toBeCloseTo(SEVERITY.severe, 9)
      expect(severityOf(id, 2 * severeFrom)).toBeCloseTo(4, 9)
    }
  })

  it('grows with the figure and never jumps', () => {
    for (const { id, severeFrom } of artefactKinds) {
      let before = 0
      for (let n = 1; n <= 400; n++) {
        const here = severityOf(id, (n / 200) * severeFrom)
        expect(here).toBeGreaterThan(before)
        expect(here - before).toBeLessThan(0.2)
        before = here
      }
    }
  })

  it('agrees with the grade everywhere', () => {
    const graded = ['not audible', 'slight', 'clear', 'severe']
    for (const { id, severeFrom } of artefactKinds) {
      for (let n = 0; n < 50; n++) {
        const value = (n / 30) * severeFrom + 1e-6
        expect(graded[Math.min(3, Math.floor(severityOf(id, value)))]).toBe(gradeOf(id, value))
      }
    }
  })
})

describe('the worst of a measurement', () => {
  const figure = (id: Parameters<typeof unmeasured>[0], value: number) => ({ ...unmeasured(id), measured: true, value })
  it('is what is farthest on the common scale, whatever its unit', () => {
    const artefacts = [figure('detune', 6), figure('smear', 4), unmeasured('image')]
    const worst = worstOf({ artefacts })
    expect(worst?.artefact.id).toBe('smear')
    expect(worst?.severity).toBeCloseTo(severityOf('smear', 4), 12)
  })
  it('is nothing where nothing could be measured', () => {
    expect(worstOf({ artefacts: [unmeasured('image')] })).toBeUndefined()
  })
})
