import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { newSource } from '../../../session'
import { answering, measurementOf, openSession, store, until } from '../../testing/openSession'
import { answerWith, begun, played } from '../../testing/standInWorker'
import { edit, setHand } from '../edits'
import { setOutlook } from '../state/outlook'
import { layAt } from './acts'
import { setPart } from './edits'
import { lookAtMix, readyParts, syncMix } from './mixing'

let count = 0
let sourceId = ''
let stop = () => {}
beforeEach(async () => {
  const answer = answering(() => measurementOf({}))
  answerWith((job) => (job.kind === 'open' ? new Error('it cannot be read') : answer(job)))
  sourceId = `mixed-${++count}`
  await openSession(sourceId)
  setHand(sourceId, { bpm: 120, firstBeat: 0 })
  // as the session does
  stop = store.subscribe(syncMix)
})
afterEach(() => stop())

const state = () => store.getState()
const arrangements = () => played.flatMap((message) => (message.type === 'arrangement' ? [message.arrangement] : []))
/** Whatever was begun has ended by then. */
const settled = () => new Promise((resolve) => setTimeout(resolve, 60))

describe('the player', () => {
  it('is told what of the timeline is heard, and nothing when only its look changes', async () => {
    const id = layAt(sourceId, 0) as string
    expect(arrangements()).toEqual([])
    setOutlook({ view: 'timeline' })
    await until(() => readyParts(state()) === 1, 'the part')
    await settled()
    expect(
      arrangements()
        .at(-1)
        ?.parts.map((part) => part.id),
    ).toEqual([id])
    played.length = 0
    setOutlook({ beats: { start: 3, span: 9 }, beat: 2, theme: 'paper' })
    await settled()
    expect(played).toEqual([])
    setPart([id], 'Level', { gainDb: -6 })
    setOutlook({ mixClick: true })
    expect(played.map((message) => message.type === 'arrangement' && message.click.on)).toEqual([false, true])
    expect(arrangements().at(-1)?.parts[0]?.gainDb).toBe(-6)
  })
  it('hears what could be read; what could not is said once, and tried again when the timeline is looked at again', async () => {
    const lost = newSource({ id: `lost-${count}`, name: 'Rope', file: 'rope.wav', origin: 'file' })
    edit('Add', ({ sources }) => {
      sources.push({ ...lost, hash: 'ab'.repeat(32) })
    })
    const heard = layAt(sourceId, 0) as string
    layAt(lost.id, 8)
    const tries = () => begun.filter(({ kind }) => kind === 'open').length
    setOutlook({ view: 'timeline' })
    await until(() => state().mixFacts[lost.id] === null, 'what could not be read')
    await settled()
    expect(tries()).toBe(1)
    expect(state().notices).toHaveLength(1)
    expect(
      arrangements()
        .at(-1)
        ?.parts.map((part) => part.id),
    ).toEqual([heard])
    lookAtMix()
    await settled()
    expect(tries()).toBe(2)
  })
})
