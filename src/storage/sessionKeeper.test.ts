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
})
