import { beforeEach, describe, expect, it } from 'vitest'
import { recipeOf } from '../../session'
import { answering, measurementOf, openSession, store } from '../testing/openSession'
import { answerWith } from '../testing/standInWorker'
import { setTarget, undo } from './acts'
import { recipeTextOf, tryRecipeText } from './recipes'

let count = 0
let source: Awaited<ReturnType<typeof openSession>>
beforeEach(async () => {
  answerWith(answering(() => measurementOf({})))
  source = await openSession(`recipes-${++count}`)
})
const said = () => store.getState().notices.at(-1)

describe('a recipe as a text', () => {
  it('tried on another source is what it was, and one step takes it back', () => {
    setTarget(source().id, { stretch: 1.5, pitchSemitones: -3, formants: 'keep' })
    const [variant] = source().variants
    if (!variant) throw new Error('no variant')
    const wanted = recipeOf(source(), variant)
    const text = recipeTextOf(source(), variant)
    setTarget(source().id, { stretch: 1, pitchSemitones: 0, formants: 'move' })
    const before = source()
    expect(tryRecipeText(source(), text, 'pasted')).toBe(true)
    const made = source().variants.at(-1)
    if (!made) throw new Error('no variant')
    expect(recipeOf(source(), made)).toEqual(wanted)
    expect(source().variants).toHaveLength(before.variants.length + 1)
    undo()
    expect(source()).toEqual(before)
  })

  it('leaves out what belongs to the moments of its own sound, and says so', () => {
    const text = JSON.stringify({
      methodId: 'wsola',
      stretch: 2,
      pins: [
        { source: 0, own: 0 },
        { source: 1, own: 1.1 },
      ],
    })
    expect(tryRecipeText(source(), text, 'pasted')).toBe(true)
    expect(source().target.stretch).toBe(2)
    expect(source().timing?.pins ?? []).toEqual([])
    expect(said()?.text).toContain('without pins')
  })

  it('that does not hold is told of, and changes nothing', () => {
    const before = store.getState().history.present
    for (const text of ['{', '{"methodId":"nobody"}', '{"methodId":"wsola","stretch":-1}']) {
      expect(tryRecipeText(source(), text, 'tide.json')).toBe(false)
      expect(said()).toMatchObject({ tone: 'trouble' })
    }
    expect(store.getState().history.present).toBe(before)
  })
})
