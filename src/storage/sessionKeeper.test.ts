import 'fake-indexeddb/auto'
import { describe, expect, it } from 'vitest'
import { openDatabase } from './database'
import { createFileKeeper, createSessionKeeper } from './sessionKeeper'

let count = 0
const fresh = () => openDatabase(`test-${++count}`)

describe('the session keeper', () => {
  it('lands the last state, however fast they come, without writing each', async () => {
    const database = fresh()
    let writes = 0
    database.sessions.hook('creating', () => {
      writes++
    })
    database.sessions.hook('updating', () => {
      writes++
    })
    const keeper = createSessionKeeper<{ n: number }>(
      database,
      (error) => {
        throw error
      },
      () => 5,
    )
    for (let n = 0; n <= 200; n++) keeper.save({ n })
    await keeper.settled()
    expect(await keeper.load()).toEqual({ n: 200 })
    expect(writes).toBeLessThan(5)
    keeper.save({ n: 201 })
    await keeper.settled()
    expect(await keeper.load()).toEqual({ n: 201 })
  })

  it('knows nothing of a first visit, and tells of trouble without losing what comes next', async () => {
    const database = fresh()
    const troubles: unknown[] = []
    const keeper = createSessionKeeper<unknown>(
      database,
      (error) => troubles.push(error),
      () => 5,
    )
    expect(await keeper.load()).toBeUndefined()
    keeper.save({ bad: () => {} })
    await keeper.settled()
    expect(troubles).toHaveLength(1)
    keeper.save({ good: true })
    await keeper.settled()
    expect(await keeper.load()).toEqual({ good: true })
  })
})

describe('the file keeper', () => {
  it('gives files back as they came, and forgets the ones no source needs', async () => {
    const files = createFileKeeper(fresh())
    await files.put('a', 'a.wav', new Blob([Uint8Array.of(1, 2, 3)]))
    await files.put('b', 'b.wav', new Blob(['x']))
    await files.keepOnly(['a', 'z'])
    expect(await files.get('b')).toBeUndefined()
    expect(await files.get('a')).toBeDefined()
  })

  it('keeps large files in parts, and forgets all of them', async () => {
    const database = fresh()
    const files = createFileKeeper(database, 4)
    const bytes = Uint8Array.from({ length: 11 }, (_, i) => i)
    for (const id of ['a', 'b', 'c']) await files.put(id, `${id}.wav`, new Blob([bytes]))
    const keys = () => database.fileParts.toCollection().primaryKeys()
    expect(await keys()).toHaveLength(9)
    expect(new Uint8Array(await ((await files.get('b')) as Blob).arrayBuffer())).toEqual(bytes)
    await files.forget('b')
    expect(await files.get('b')).toBeUndefined()
    await files.keepOnly(['c'])
    expect(await keys()).toEqual([0, 1, 2].map((n) => ['c', n]))
  })

  it('leaves nothing of a file that could not be kept as a whole', async () => {
    const database = fresh()
    const files = createFileKeeper(database, 4)
    const blob = new Blob([new Uint8Array(20)])
    const slice = blob.slice.bind(blob)
    blob.slice = (from = 0, to) => {
      if (from >= 8) throw new Error('it was pulled out')
      return slice(from, to)
    }
    await expect(files.put('a', 'a.wav', blob)).rejects.toThrow('it was pulled out')
    expect(await database.fileParts.count()).toBe(0)
    expect(await files.get('a')).toBeUndefined()
  })
})
