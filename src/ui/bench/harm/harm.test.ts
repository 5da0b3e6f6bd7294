import { describe, expect, it } from 'vitest'
import type { Artefact, Measurement } from '../../../core'
import { groupAt, RIBBON_PX, rowOf } from './draw'
import { GROUPS, markAt, markPx, marksOf } from './marks'
import { columnsOf, sortRows } from './scores'

const artefact = (id: Artefact['id'], value: number, places: readonly [number, number, number?][] = []): Artefact => ({
  id,
  value,
  measured: true,
  places: places.map(([sourceFrame, value, spanFrames = 0]) => ({
    sourceFrame,
    spanFrames,
    outputFrame: sourceFrame,
    value,
  })),
  parts: {},
})

describe('what is shown of a measurement', () => {
  it('is every lost and repeated attack, and places that are heard of harm that is heard', () => {
    const marks = marksOf([
      artefact('extra-attacks', 3, [[1000, 1]]),
      artefact('smear', 2, [
        [500, 0.4],
        [2000, 4],
      ]),
      artefact('flutter', 0.1, [
        [300, 0.5, 200],
        [900, 3, 200],
      ]),
    ])
    expect(marks.map(({ id, grade }) => `${id} ${grade}`)).toEqual([
      // of harm that is not heard as a whole only what is clear where it is
      'flutter severe',
      // one event is as bad as there are many of them
      'extra-attacks slight',
      'smear clear',
    ])
  })

  it('is found again under the pointer, in its own row', () => {
    const marks = marksOf([artefact('extra-attacks', 3, [[1000, 1]]), artefact('flutter', 2, [[1000, 2, 100]])])
    const view = { start: 0, span: 2000 }
    expect(markAt(marks, 'attacks', 500, view, 1000)?.id).toBe('extra-attacks')
    expect(markAt(marks, 'tones', 500, view, 1000)?.id).toBe('flutter')
    expect(markAt(marks, 'noise', 500, view, 1000)).toBeUndefined()
    expect(markAt(marks, 'attacks', 520, view, 1000)).toBeUndefined()
    expect(markPx(marks[0] as (typeof marks)[0], { start: 5000, span: 100 }, 1000)).toBeUndefined()
  })

  it('has rows that lie under each other and fill the ribbon', () => {
    for (const { id } of GROUPS) {
      const { top, height } = rowOf(id)
      expect(groupAt(top)).toBe(id)
      expect(groupAt(top + height - 1)).toBe(id)
      expect(top + height).toBeLessThanOrEqual(RIBBON_PX)
    }
    expect(groupAt(RIBBON_PX + 5)).toBe('level')
  })
})

describe('the scorecard', () => {
  const row = (variantId: string, artefacts: Artefact[]) => ({
    variantId,
    trial: {
      span: { from: 0, to: 1 },
      measurement: { artefacts, unlikenessDb: 0 } satisfies Measurement,
    },
  })
  const rows = [
    row('a', [artefact('smear', 1), artefact('detune', 38)]),
    row('b', [artefact('smear', 5), artefact('detune', 2)]),
    { variantId: 'c', trial: undefined },
  ]

  it('has the kind first that is worst by where it becomes audible, and none that nobody could measure', () => {
    expect(columnsOf(rows).map(({ id }) => id)).toEqual(['detune', 'smear'])
    expect(columnsOf([])).toEqual([])
  })

  it('sorts the worst first; what is not measured comes last', () => {
    expect(sortRows(rows, 'smear').map(({ variantId }) => variantId)).toEqual(['b', 'a', 'c'])
    expect(sortRows(rows, 'detune').map(({ variantId }) => variantId)).toEqual(['a', 'b', 'c'])
    expect(sortRows(rows, 'letter').map(({ variantId }) => variantId)).toEqual(['a', 'b', 'c'])
    expect(sortRows(rows, 'harm').at(-1)?.variantId).toBe('c')
  })
})
