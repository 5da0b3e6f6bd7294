import { beforeEach, describe, expect, it } from 'vitest'
import { answering, measurementOf, openSession, store, until } from '../../testing/openSession'
import { answerWith, begun } from '../../testing/standInWorker'
import { setAccess } from '../state/access'
import { arrivalRows, contents } from '../state/engine'
import { bringIn, dropArrival, openArrivals, tryArrival } from './arrivals'

const wav = (name: string) => new File([`RIFF....WAVE ${name}`], name)
const state = () => store.getState()
const names = () => state().history.present.sources.map(({ name }) => name)
const texts = () =>
  state()
    .notices.map(({ text }) => text)
    .join('\n')

let opened = 0
let bell = ''
const usual = answering(() => measurementOf({}))

beforeEach(async () => {
  answerWith((job) => (job.kind === 'decode' && job.file.startsWith('bad') ? new Error('memory access') : usual(job)))
  bell = `bell ${++opened}`
  await openSession(bell)
  for (const { id } of await arrivalRows.all()) await arrivalRows.remove(id)
})

describe('files on their way in', () => {
  it('come in one step; what cannot be read is told of and blocks none behind it', async () => {
    const refused = await bringIn([
      wav('bad.wav'),
      wav('rain.wav'),
      new File(['Dear museum, the tide'], 'letter.wav'),
      wav('gull.wav'),
    ])
    expect(refused.map(({ name }) => name)).toEqual(['bad.wav', 'letter.wav'])
    expect(names().sort()).toEqual(['Tide bell', 'gull', 'rain'])
    expect(state().history.past).toHaveLength(1)
    expect(texts()).toContain('letter.wav is not a sound file')
    expect(state().arrivals).toEqual([])
    expect(await arrivalRows.all()).toEqual([])
  })

  it('go on where the page ended, and do not come in twice', async () => {
    const row = async (id: string, tries: number) =>
      arrivalRows.put({ id, order: 1, name: `${id}.wav`, tries, ...(await contents.take(wav(id))) })
    await row('rain', 1)
    await row(bell, 1)
    await openArrivals()
    await until(() => names().includes('rain'), 'the rain')
    await until(() => state().arrivals.length === 0, 'an empty line')
    expect(names().sort()).toEqual(['Tide bell', 'rain'])
    expect(await arrivalRows.all()).toEqual([])
  })

  it('are not read unasked when the page ended on them twice, and are not lost', async () => {
    await arrivalRows.put({
      id: 'heavy',
      order: 1,
      name: 'heavy.wav',
      tries: 2,
      ...(await contents.take(wav('heavy'))),
    })
    await openArrivals()
    expect(state().arrivals).toEqual([{ id: 'heavy', file: 'heavy.wav', status: 'stuck' }])
    expect(begun.filter((job) => job.kind === 'decode' && job.file === 'heavy.wav')).toHaveLength(0)
    expect(await arrivalRows.all()).toHaveLength(1)
    await tryArrival('heavy')
    expect(names()).toContain('heavy')
    await arrivalRows.put({
      id: 'heavier',
      order: 1,
      name: 'heavier.wav',
      tries: 2,
      ...(await contents.take(wav('h'))),
    })
    await openArrivals()
    await dropArrival('heavier')
    expect(state().arrivals).toEqual([])
    expect(await arrivalRows.all()).toEqual([])
  })

  it('are not taken where another tab writes', async () => {
    setAccess({ kind: 'watches' })
    const file = wav('rain.wav')
    expect(await bringIn([file])).toEqual([file])
    expect(names()).toEqual(['Tide bell'])
    expect(texts()).toContain('Another tab')
  })
})
