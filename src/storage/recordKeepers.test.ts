import 'fake-indexeddb/auto'
import { describe, expect, it } from 'vitest'
import { createFoundKeeper, createKnowledgeKeeper, createTrialKeeper, openDatabase } from '.'

describe('what was found out', () => {
  it('is there again by the hash of the file, the last word over the one before', async () => {
    const keeper = createKnowledgeKeeper(openDatabase('knowledge'))
    expect(await keeper.get('abc')).toBeUndefined()
    await keeper.put('abc', { bpm: 96 })
    await keeper.put('abc', { bpm: 48 })
    expect(await keeper.get('abc')).toEqual({ bpm: 48 })
  })
})

describe('listed files', () => {
  it('are kept with what becomes known of them, until they are taken off the list', async () => {
    const keeper = createFoundKeeper(openDatabase('found'))
    const row = (id: string) => ({
      id,
      path: `sea/${id}.wav`,
      bytes: new Blob([id]),
      facts: undefined,
      error: undefined,
    })
    await keeper.put([row('rain'), row('gull')])
    await keeper.note('rain', { facts: { hash: 'h' } })
    await keeper.note('gull', { error: 'cut off' })
    const all = await keeper.all()
    expect(all.map(({ id, facts, error }) => ({ id, facts, error }))).toEqual([
      { id: 'gull', facts: undefined, error: 'cut off' },
      { id: 'rain', facts: { hash: 'h' }, error: undefined },
    ])
    await keeper.remove(['gull'])
    expect((await keeper.all()).map(({ id }) => id)).toEqual(['rain'])
    expect(await keeper.bytes('gull')).toBeUndefined()
  })
})

describe('what was measured', () => {
  it('is there again by what it is a result of', async () => {
    const keeper = createTrialKeeper(openDatabase('trials'), () => 1)
    expect(await keeper.get('winch x0.8')).toBeUndefined()
    await keeper.put('winch x0.8', { verdict: 'good' })
    await keeper.put('winch x2', { verdict: 'bad' })
    expect(await keeper.get('winch x0.8')).toEqual({ verdict: 'good' })
  })
  it('is forgotten from its oldest on when there is more than is kept', async () => {
    let now = 0
    const keeper = createTrialKeeper(openDatabase('many trials'), () => ++now, 3)
    for (const name of ['a', 'b', 'c', 'd', 'e']) await keeper.put(name, name)
    expect(await Promise.all(['a', 'b', 'c', 'd', 'e'].map(keeper.get))).toEqual([undefined, undefined, 'c', 'd', 'e'])
    // measured again it is the youngest
    await keeper.put('c', 'c again')
    await keeper.put('f', 'f')
    expect(await keeper.get('c')).toBe('c again')
    expect(await keeper.get('d')).toBeUndefined()
  })
})
