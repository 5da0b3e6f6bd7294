import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { FIRST_EXPORT } from '../../../session'
import { answering, measurementOf, openSession, store } from '../../testing/openSession'
import { answerWith } from '../../testing/standInWorker'
import { setTarget } from '../acts'
import { setOutlook } from '../state/outlook'
import { chosenVariant } from '../state/store'
import { variantKey } from './items'
import { syncOver } from './over'

const { getState, subscribe } = store
const ofFile = () => getState().queue.filter(({ name }) => name === 'linked.flac')
const answer = answering(() => measurementOf({}))
let count = 0
let source: Awaited<ReturnType<typeof openSession>>
let key: string
beforeEach(async () => {
  // what is asked here ends at the line in the queue
  answerWith((job) => (job.kind === 'planExport' ? new Error('none is made') : answer(job)))
  source = await openSession(`over-${++count}`)
  const variant = chosenVariant(getState(), source())
  if (!variant) throw new Error('no variant')
  key = variantKey(source(), variant)
  vi.useFakeTimers()
  return subscribe(syncOver)
})
afterEach(() => void vi.useRealTimers())
const keep = (again: boolean) =>
  setOutlook(({ exporting }) => ({
    exporting: { ...exporting, over: [{ key, name: 'linked.flac', settings: FIRST_EXPORT, again, knownAt: 0 }] },
  }))
const slow = () => setTarget(source().id, { stretch: 1.25 })
const aWhile = () => vi.advanceTimersByTime(5000)

describe('a file that is saved at every change', () => {
  it('is saved after a change that comes at once when the session has been opened', () => {
    keep(true)
    slow()
    aWhile()
    expect(ofFile()).toHaveLength(1)
  })

  it('is left as it is when the session is opened, and when it is not asked for', () => {
    keep(true)
    aWhile()
    expect(ofFile()).toHaveLength(0)
    keep(false)
    slow()
    aWhile()
    expect(ofFile()).toHaveLength(0)
  })
})
