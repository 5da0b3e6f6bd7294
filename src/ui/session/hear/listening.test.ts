import { beforeEach, describe, expect, it } from 'vitest'
import { recipe } from '../../../core/testing/recipes'
import type { Program } from '../../../engine'
import { answering, measurementOf, openSession, RATE, store, until } from '../../testing/openSession'
import { answerWith, played } from '../../testing/standInWorker'
import { addVariant, setTarget, walkTo } from '../acts'
import { setSelection } from '../edits'
import { setOutlook } from '../state/outlook'
import { hearLane, hearTried, leaveTried, seek, syncListening } from './listening'

let count = 0
let source: Awaited<ReturnType<typeof openSession>>
beforeEach(async () => {
  answerWith(answering(() => measurementOf({})))
  source = await openSession(`hear-${++count}`)
  setOutlook({ matched: false })
  follow()
})

const state = () => store.getState()
const follow = () => syncListening(state(), () => {})
const programs = () => played.flatMap((message) => (message.type === 'program' ? [message.program] : []))
/** the program that was sent last */
function last(): Program {
  follow()
  const program = programs().at(-1)
  if (!program) throw new Error('no program was sent')
  return program
}
const known = () => until(() => last().active > 0, 'what the lane needs to know')

describe('what the player is told', () => {
  it('is the sound once, then a program: the source first, one lane for each variant, all of it as the loop', () => {
    const { lanes, active, loop } = last()
    expect(played.filter(({ type }) => type === 'source')).toHaveLength(1)
    expect(lanes).toHaveLength(1 + source().variants.length)
    expect(lanes[0]?.recipe).toBeUndefined()
    expect(active).toBe(0)
    expect(loop).toEqual({ start: 0, end: 4 * RATE })
  })

  it('changes with the target, and is not told twice while nothing of it changes', () => {
    setTarget(source().id, { stretch: 1.5, pitchSemitones: -3 })
    const { lanes } = last()
    for (const { recipe } of lanes.slice(1)) expect(recipe).toMatchObject({ stretch: 1.5, pitchSemitones: -3 })
    const before = programs().length
    follow()
    setOutlook({ panel: 'advice' })
    follow()
    expect(programs()).toHaveLength(before)
  })

  it('is the lane that is heard, but not before what it needs is known: until then the source', async () => {
    let find = () => {}
    const promise = new Promise<void>((resolve) => {
      find = resolve
    })
    const answer = answering(() => measurementOf({}))
    answerWith(async (job) => {
      if (job.kind === 'analyse') await promise
      return answer(job)
    })
    source = await openSession('hear-unknown')
    addVariant(source(), 'cycle')
    const place = source().variants.findIndex(({ methodId }) => methodId === 'cycle') + 1
    hearLane(place)
    expect(last().active).toBe(0)
    find()
    await known()
    expect(last().active).toBe(place)
    // what was found out comes before the program that needs it
    const types = played.map(({ type }) => type)
    expect(types.lastIndexOf('analysis')).toBeLessThan(types.lastIndexOf('program'))
  })

  it('is the selection as the loop, or none where it does not loop', () => {
    setSelection(source().id, { start: RATE, end: 2 * RATE })
    expect(last().loop).toEqual({ start: RATE, end: 2 * RATE })
    setOutlook({ looping: false })
    expect(last().loop).toBeUndefined()
  })

  it('has gains that make lanes equally loud, where that is wanted', () => {
    const variant = source().variants[0]
    if (!variant) throw new Error('no variant')
    const facts = { ...state().loads[source().id]?.facts, loudness: -26 } as never
    store.setState({ renders: { [variant.id]: { status: 'done', facts } as never } })
    expect(last().lanes.map(({ gain }) => gain)).toEqual(last().lanes.map(() => 1))
    setOutlook({ matched: true })
    const [own, other] = last().lanes.map(({ gain }) => gain) as [number, number]
    expect(20 * Math.log10(other / own)).toBeCloseTo(6, 1)
  })

  it('is what was tried as one more lane, over the part that it is about, until the lanes are heard again', async () => {
    const tried = { sourceId: source().id, recipe: recipe('grain', { stretch: 2 }), range: { start: 0, end: RATE } }
    hearTried({ ...tried, label: 'Grain cloud', changeLu: 0 } as never)
    await known()
    expect(last().active).toBe(last().lanes.length - 1)
    expect(last().lanes.at(-1)?.recipe).toEqual(tried.recipe)
    expect(last().loop).toEqual(tried.range)
    leaveTried()
    expect(last().active).toBe(0)
    expect(last().lanes).toHaveLength(1 + source().variants.length)
  })

  it('is clicks where beats are known and a click is wanted, and silence again', () => {
    const clicks = () => played.flatMap((message) => (message.type === 'click' ? [message.track] : []))
    setOutlook({ click: 'beats' })
    follow()
    expect(clicks().at(-1)).toBeDefined()
    setOutlook({ click: 'off' })
    follow()
    expect(clicks().at(-1)).toBeUndefined()
    expect(clicks().length).toBeGreaterThan(1)
  })

  it('never is a place outside of the sound', () => {
    seek(99 * RATE)
    expect(state().outlook.positions[source().id]).toBe(4 * RATE - 1)
    seek(-5)
    expect(state().outlook.positions[source().id]).toBe(0)
  })

  it('is another source when one is chosen, and the one before goes on no more', () => {
    walkTo('not there')
    follow()
    expect(state().outlook.selectedId).toBe('not there')
    expect(played.filter(({ type }) => type === 'program')).toHaveLength(programs().length)
  })
})
