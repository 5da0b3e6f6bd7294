import { describe, expect, it } from 'vitest'
import { newSource, newVariant } from './create'
import { joinedOf, type LaneRun, paintRuns, runsIn, runsOf, variantLike } from './joins'
import { recipeOf } from './recipe'
import type { Source } from './schema'

const run = (source: number, methodId: string, settings = {}): LaneRun => ({ source, methodId, settings })
const lanes = (runs: readonly LaneRun[]) => runs.map(({ source, methodId }) => `${source} ${methodId}`)
const wsola = { methodId: 'wsola', settings: {} }

describe('a lane that is joined of others', () => {
  it('is its runs, and back', () => {
    const variant = newVariant('v', 'D', 'splice')
    const runs = [run(0, 'splice', { tail: 'ring' }), run(1.5, 'vocoder'), run(1.9, 'vocoder'), run(2, 'splice')]
    const joined = { ...variant, ...joinedOf(variant, runs) }
    // neighbours that are alike are one
    expect(lanes(runsOf(joined))).toEqual(['0 splice', '1.5 vocoder', '2 splice'])
    expect(runsOf(joined)[0]?.settings).toEqual({ tail: 'ring' })
    expect(joinedOf(joined, runsOf(joined))).toEqual(joinedOf(variant, runs))
  })

  it('is painted over from one moment to another, and goes on behind it', () => {
    const runs = [run(0, 'splice'), run(2, 'vocoder'), run(4, 'splice')]
    expect(lanes(paintRuns(runs, [{ source: 1, ...wsola }], { source: 3 }))).toEqual([
      '0 splice',
      '1 wsola',
      '3 vocoder',
      '4 splice',
    ])
    expect(lanes(paintRuns(runs, [{ source: 0, ...wsola }], { source: 4.5 }))).toEqual(['0 wsola', '4.5 splice'])
    expect(lanes(paintRuns(runs, [{ source: 3, ...wsola }], undefined))).toEqual(['0 splice', '2 vocoder', '3 wsola'])
    // too short to be meant
    expect(paintRuns(runs, [{ source: 1, ...wsola }], { source: 1.01 })).toBe(runs)
    // several at once
    const two = [{ source: 1, ...wsola }, run(1.5, 'drift')]
    expect(lanes(paintRuns(runs, two, { source: 3 }))).toEqual([
      '0 splice',
      '1 wsola',
      '1.5 drift',
      '3 vocoder',
      '4 splice',
    ])
  })

  it('names the lane that a run sounds like as long as there is one', () => {
    const source: Source = newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file' })
    const [first] = source.variants as [Source['variants'][0]]
    expect(variantLike(source, { methodId: first.methodId, settings: {} })?.letter).toBe(first.letter)
    expect(variantLike(source, { methodId: first.methodId, settings: { odd: 1 } })).toBeUndefined()
  })

  it('comes into a recipe in seconds of the part that is worked with', () => {
    const facts = { frames: 48_000 * 4, sampleRate: 48_000, channels: 1, container: 'wav', peak: 1 }
    const source: Source = { ...newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file' }), facts }
    const joins = [run(1, 'vocoder'), run(2, 'drift'), run(3, 'wsola', { segmentMs: 50 })]
    const variant = {
      ...newVariant('v', 'D', 'splice'),
      ...joinedOf(newVariant('v', 'D', 'splice'), [run(0, 'splice'), ...joins]),
    }
    expect(recipeOf(source, variant).joins).toEqual(joins)
    const part = { ...source, range: { start: 48_000 * 1.5, end: 48_000 * 3.5 } }
    expect(recipeOf(part, variant)).toMatchObject({
      methodId: 'vocoder',
      joins: [
        { source: 0.5, methodId: 'drift' },
        { source: 1.5, methodId: 'wsola', settings: { segmentMs: 50 } },
      ],
    })
    expect(runsIn(part, recipeOf(part, variant))).toEqual([run(1.5, 'vocoder'), ...joins.slice(1)])
    // a lane with one run so far is a plain recipe
    expect(recipeOf(source, { ...variant, joins: [] })).not.toHaveProperty('joins')
  })
})
