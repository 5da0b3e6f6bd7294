import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import type { Knowledge } from '../core'
import { firstSession, firstSources, freeLetter, newSource, newVariant } from './create'
import { firstOutlook, outlookSchema } from './outlook'
import { recipeOf } from './recipe'
import { sessionSchema } from './schema'

describe('the session as it is kept', () => {
  it('passes its own check after a trip through storage', () => {
    const kept = { session: firstSession(), outlook: firstOutlook('ink') }
    expect(sessionSchema.parse(structuredClone(kept.session))).toEqual(kept.session)
    expect(outlookSchema.parse(structuredClone(kept.outlook))).toEqual(kept.outlook)
  })
  it('starts a source with one variant of each of three families, lettered in order', () => {
    const { variants } = newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file' })
    expect(variants.map((v) => `${v.letter} ${v.methodId}`)).toEqual(['A wsola', 'B vocoder', 'C grain'])
    expect(freeLetter(variants.slice(1))).toBe('A')
    expect(freeLetter(variants)).toBe('D')
  })
  it('begins each demo sound with the lanes of the kind that is found in it', () => {
    // made by the set-up, from the very sounds
    const known: Record<string, Knowledge> = JSON.parse(readFileSync('public/demo/known.json', 'utf8'))
    expect(firstSources.map(({ file, kind }) => [file, kind])).toEqual(
      firstSources.map(({ file }) => [file, known[file]?.material.kind]),
    )
  })
  it('makes recipes from the target and the settings of the method in use only', () => {
    const source = newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file', target: { stretch: 2 } })
    const variant = { ...newVariant('v', 'A', 'wsola'), settings: { wsola: { segmentMs: 50 }, grain: { grainMs: 9 } } }
    expect(recipeOf(source, variant)).toMatchObject({ stretch: 2, methodId: 'wsola', settings: { segmentMs: 50 } })
    expect(recipeOf(source, { ...variant, methodId: 'vocoder' }).settings).toEqual({})
  })
})
