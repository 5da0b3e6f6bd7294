import 'fake-indexeddb/auto'
import { describe, expect, it } from 'vitest'
import { createFoundKeeper, createKnowledgeKeeper, openDatabase } from '.'

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
