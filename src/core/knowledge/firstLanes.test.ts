import { describe, expect, it } from 'vitest'
import { methodById } from '../methods/registry'
import { firstLanes } from './firstLanes'
import { suggestMethod } from './suggestMethod'

describe('the lanes that a source begins with', () => {
  it.each(['hits', 'single line', 'chords', 'dense mix', 'noise'] as const)(
    'of %s are led by what is suggested for it, and are all different',
    (kind) => {
      const { methodIds, why } = firstLanes(kind)
      expect([methodIds[0], why]).toEqual(Object.values(suggestMethod({ kind }, 1)))
      expect(new Set(methodIds).size).toBe(3)
      for (const id of methodIds) expect(methodById(id).id).toBe(id)
    },
  )
  it('of what is not known yet are light', () => {
    expect(firstLanes('unsure').methodIds.every((id) => methodById(id).timesRealTime > 100)).toBe(true)
  })
})
