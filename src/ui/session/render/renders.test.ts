import { beforeEach, describe, expect, it } from 'vitest'
import { recipeOf } from '../../../session'
import { answering, measurementOf, openSession, store, until } from '../../testing/openSession'
import { answerWith, begun, holdMeasuring } from '../../testing/standInWorker'
import { heardSound } from '../hear/listening'
import { analysisOf } from '../know/analyses'
import { setOutlook } from '../state/outlook'
import { renderKeyOf, syncRenders } from './renders'

const answer = answering(() => measurementOf({ smear: 1 }))
const state = () => store.getState()
const drawn = () => begun.filter(({ kind }) => kind === 'render').length

let count = 0
let lane: { readonly id: string; readonly key: string }
beforeEach(async () => {
  answerWith(answer)
  const source = (await openSession(`renders-${++count}`))()
  const sound = heardSound(source)?.decoded.sound
  if (!sound) throw new Error('the source is not heard')
  for (const variant of source.variants) await analysisOf(source, sound, recipeOf(source, variant))
  const [variant] = source.variants
  if (!variant) throw new Error('a source has a variant')
  lane = { id: variant.id, key: renderKeyOf(source, variant) }
  begun.length = 0
})

/** Look at another view, where lanes are not drawn, and come back. */
function lookAway() {
  setOutlook({ view: 'timeline' })
  syncRenders(state())
  setOutlook({ view: 'bench' })
  syncRenders(state())
}

describe('drawing lanes', () => {
  it('goes on with what was being measured when something else was looked at', async () => {
    const goOn = holdMeasuring()
    syncRenders(state())
    await until(() => state().trials[lane.id]?.status === 'running', 'a measurement')
    lookAway()
    goOn()
    await until(() => state().trials[lane.id]?.status === 'done', 'its figures')
    expect(state().renders[lane.id]?.status).toBe('done')
  })

  it('draws again what was half drawn when something else was looked at', async () => {
    store.setState({ renders: { [lane.id]: { key: lane.key, status: 'running', progress: 0.4 } } })
    lookAway()
    await until(() => state().renders[lane.id]?.status === 'done', 'the lane')
  })

  it('leaves alone what is there, was stopped, or failed', async () => {
    syncRenders(state())
    await until(() => state().trials[lane.id]?.status === 'done', 'its figures')
    const before = drawn()
    lookAway()
    for (const status of ['cancelled', 'failed'] as const) {
      store.setState(({ renders }) => ({ renders: { ...renders, [lane.id]: { key: lane.key, status, progress: 0 } } }))
      lookAway()
      expect(state().renders[lane.id]?.status).toBe(status)
    }
    expect(drawn()).toBe(before)
  })
})
