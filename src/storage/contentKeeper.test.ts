import 'fake-indexeddb/auto'
import { describe, expect, it } from 'vitest'
import { createContentKeeper } from './contentKeeper'
import { openDatabase } from './database'

let count = 0
const fresh = () => openDatabase(`contents ${++count}`)
const none = () => new Set<string>()
const text = async (blob: Blob | undefined) => blob && (await blob.text())

describe('the content keeper', () => {
  it('gives files back as they came, small and large, and keeps the same bytes once', async () => {
    const database = fresh()
    const contents = createContentKeeper(database, 4)
    await contents.put('h1', new Blob(['abc']))
    await contents.put('h2', new Blob(['abcdefghijk']))
    await contents.put('h2', new Blob(['abcdefghijk']))
    expect(await text(await contents.get(['h1']))).toBe('abc')
    expect(await text(await contents.get(['h2']))).toBe('abcdefghijk')
    expect(await database.fileParts.count()).toBe(3)
    expect(await contents.get(['h3', undefined])).toBeUndefined()
  })

  it('finds what an older version kept by its source, and lets it lie under its hash from then on', async () => {
    const database = fresh()
    const contents = createContentKeeper(database, 4)
    await database.files.put({ sourceId: 'gull', file: 'gull.wav', bytes: new Blob(['abc']) })
    await database.files.put({ sourceId: 'bell', file: 'bell.wav', bytes: undefined })
    for (const n of [0, 1]) await database.fileParts.put({ sourceId: 'bell', n, bytes: new Blob([`part${n}`]) })
    expect(await text(await contents.get([undefined, 'gull']))).toBe('abc')
    expect(await text(await contents.get(['h2', 'bell']))).toBe('part0part1')
    await contents.adopt('gull', 'h1')
    await contents.adopt('bell', 'h2')
    await contents.adopt('nobody', 'h3')
    expect(await database.files.count()).toBe(0)
    expect(await text(await contents.get(['h1']))).toBe('abc')
    expect(await text(await contents.get(['h2']))).toBe('part0part1')
    expect(await contents.get(['h3'])).toBeUndefined()
  })

  it('deletes what nothing names, parts and all, and only that', async () => {
    const database = fresh()
    const contents = createContentKeeper(database, 4)
    for (const hash of ['in hand', 'written', 'aside', 'nowhere'])
      await contents.put(hash, new Blob([`0123456789 ${hash}`]))
    await database.files.put({ sourceId: 'old', file: 'x', bytes: new Blob(['x']) })
    await database.files.put({ sourceId: 'older', file: 'x', bytes: new Blob(['x']) })
    await database.sessions.put({ id: 'current', savedAt: 1, session: { sources: [{ hash: 'written', id: 'old' }] } })
    const itself: { deep: unknown[]; self?: unknown } = { deep: [{ whatever: new Map([['k', 'aside']]) }] }
    itself.self = itself
    await database.aside.put({ id: 'a', at: 1, what: 'session', why: '', raw: itself })
    // what was just put is about to be named
    expect(await createContentKeeper(database).deleteUnused(() => new Set(['in hand']))).toBe(2)
    for (const hash of ['in hand', 'written', 'aside']) expect(await text(await contents.get([hash]))).toContain(hash)
    expect(await contents.get(['nowhere'])).toBeUndefined()
    expect((await database.files.toCollection().primaryKeys()).sort()).toEqual(['old'])
    expect(await database.fileParts.count()).toBe(5 + 5 + 4)
  })

  it('leaves what was put a moment ago until somebody has named it', async () => {
    const database = fresh()
    const contents = createContentKeeper(database)
    await contents.put('h', new Blob(['abc']))
    expect(await contents.deleteUnused(none)).toBe(0)
    expect(await contents.deleteUnused(() => new Set(['h']))).toBe(0)
    expect(await contents.deleteUnused(none)).toBe(1)
  })

  it('leaves nothing of a file that could not be kept as a whole, and gives out no half ones', async () => {
    const database = fresh()
    const contents = createContentKeeper(database, 4)
    const blob = new Blob([new Uint8Array(20)])
    const slice = blob.slice.bind(blob)
    blob.slice = (from = 0, to) => {
      if (from >= 8) throw new Error('it was pulled out')
      return slice(from, to)
    }
    await expect(contents.put('a', blob)).rejects.toThrow('it was pulled out')
    expect(await database.fileParts.count()).toBe(0)
    await contents.put('b', new Blob(['0123456789']))
    const [part] = await database.fileParts.toArray()
    await database.fileParts.delete([part?.sourceId as string, 1])
    expect(await contents.get(['b'])).toBeUndefined()
    // brought in again it is whole again
    await contents.put('b', new Blob(['0123456789']))
    expect(await text(await contents.get(['b']))).toBe('0123456789')
  })
})
