import 'fake-indexeddb/auto'
import { describe, expect, it } from 'vitest'
import { openDatabase } from './database'
import { createSessionKeeper } from './sessionKeeper'

let count = 0
const fresh = () => openDatabase(`sessions ${++count}`)

/** Where a last word lies, as a browser has it. */
function lastWord() {
  let text: string | null = null
  return {
    get: () => text,
    put: (next: string) => {
      text = next
    },
    clear: () => {
      text = null
    },
  }
}

function keeperOf(database = fresh(), word = lastWord()) {
  const told = { errors: [] as unknown[], saved: 0, overtaken: 0 }
  const events = {
    onError: (error: unknown) => told.errors.push(error),
    onSaved: () => told.saved++,
    onOvertaken: () => told.overtaken++,
  }
  return {
    database,
    told,
    keeper: createSessionKeeper<unknown, unknown>(database, events, () => 5, { lastWord: word }),
  }
}

describe('the session keeper', () => {
  it('lands the last state, however fast they come, without writing each', async () => {
    const { database, keeper } = keeperOf()
    let writes = 0
    const counted = () => {
      writes++
    }
    database.sessions.hook('creating', counted)
    database.sessions.hook('updating', counted)
    await keeper.load()
    for (let n = 0; n <= 200; n++) keeper.saveSession({ n })
    await keeper.settled()
    expect(await keeper.load()).toEqual({ session: { n: 200 }, outlook: undefined })
    expect(writes).toBeLessThan(5)
    keeper.saveSession({ n: 201 })
    await keeper.settled()
    expect((await keeper.load())?.session).toEqual({ n: 201 })
  })

  it('rests behind a session that takes long to look through while changes come at once, and holds back none that comes alone', async () => {
    const database = fresh()
    const slow = (session: unknown) => {
      const end = performance.now() + 25
      while (performance.now() < end);
      return session
    }
    const events = { onError() {}, onSaved() {}, onOvertaken() {} }
    const keeper = createSessionKeeper<unknown, unknown>(database, events, () => 5, {
      checked: slow,
      isLarge: () => true,
    })
    let writes = 0
    database.sessions.hook('updating', () => {
      writes++
    })
    await keeper.load()
    keeper.saveSession({ n: 0 })
    await new Promise((resolve) => setTimeout(resolve, 100))
    // one that comes alone is not held back
    keeper.saveSession({ n: 1 })
    await new Promise((resolve) => setTimeout(resolve, 100))
    expect(writes).toBe(1)
    // those of a gesture are
    for (let n = 2; n <= 20; n++) {
      keeper.saveSession({ n })
      await Promise.resolve()
    }
    expect(writes).toBeLessThan(3)
    keeper.saveOutlook({ zoomed: true })
    await keeper.settled()
    expect(writes).toBeLessThan(5)
    expect(await keeper.load()).toEqual({ session: { n: 20 }, outlook: { zoomed: true } })
  })

  it('writes the outlook without the session', async () => {
    const { database, keeper } = keeperOf()
    await keeper.load()
    keeper.saveSession({ n: 1 })
    await keeper.settled()
    let writes = 0
    database.sessions.hook('updating', () => {
      writes++
    })
    keeper.saveOutlook({ theme: 'paper' })
    await keeper.settled()
    expect(writes).toBe(0)
    expect(await keeper.load()).toEqual({ session: { n: 1 }, outlook: { theme: 'paper' } })
  })

  it('reads the one row in which an older version kept both', async () => {
    const { database, keeper } = keeperOf()
    const both = { session: { version: 1, sources: [] }, outlook: { theme: 'paper' } }
    await database.sessions.put({ id: 'current', savedAt: 1, session: both })
    expect(await keeper.load()).toEqual(both)
    keeper.saveSession({ version: 2 })
    keeper.saveOutlook({ theme: 'ink' })
    await keeper.settled()
    expect(await keeper.load()).toEqual({ session: { version: 2 }, outlook: { theme: 'ink' } })
  })

  it('knows nothing of a first visit, and tells of trouble without losing what comes next', async () => {
    const { keeper, told } = keeperOf()
    expect(await keeper.load()).toBeUndefined()
    keeper.saveSession({ bad: () => {} })
    await keeper.settled()
    expect(told.errors).toHaveLength(1)
    keeper.saveSession({ good: true })
    await keeper.settled()
    expect((await keeper.load())?.session).toEqual({ good: true })
  })

  it('writes what could not be written as soon as it can', async () => {
    const { database, keeper, told } = keeperOf()
    await keeper.load()
    let full = true
    database.sessions.hook('creating', () => {
      if (full) throw Object.assign(new Error('no room'), { name: 'QuotaExceededError' })
    })
    keeper.saveSession({ n: 1 })
    await keeper.settled()
    expect(told.errors).toMatchObject([{ code: 'storage/full' }])
    full = false
    keeper.again()
    await keeper.settled()
    expect((await keeper.load())?.session).toEqual({ n: 1 })
  })

  it('finds rows that lie under a name that is not their own', async () => {
    const { database, keeper } = keeperOf()
    await database.sessions.put({ id: 'curent' as 'current', savedAt: 1, session: { n: 1 } })
    expect(await keeper.load()).toBeUndefined()
    const [stray, ...others] = await keeper.strays()
    expect(others).toEqual([])
    expect(stray).toMatchObject({ key: 'curent', row: { session: { n: 1 } } })
    await keeper.removeStray(stray?.key)
    expect(await keeper.strays()).toEqual([])
  })

  it('never writes over what another one wrote', async () => {
    const a = keeperOf()
    const b = keeperOf(a.database)
    await a.keeper.load()
    await b.keeper.load()
    a.keeper.saveSession({ by: 'a' })
    await a.keeper.settled()
    b.keeper.saveSession({ by: 'b' })
    await b.keeper.settled()
    expect(b.told.overtaken).toBe(1)
    b.keeper.saveSession({ by: 'b', again: true })
    await b.keeper.settled()
    expect((await a.keeper.load())?.session).toEqual({ by: 'a' })
    // it may again when it has read what is there
    expect((await b.keeper.load())?.session).toEqual({ by: 'a' })
    b.keeper.saveSession({ by: 'b' })
    await b.keeper.settled()
    a.keeper.saveSession({ by: 'a' })
    await a.keeper.settled()
    expect(a.told.overtaken).toBe(1)
    expect((await b.keeper.load())?.session).toEqual({ by: 'b' })
  })

  it('lets what is on its way land when it is closed, and writes nothing after', async () => {
    const { keeper } = keeperOf()
    await keeper.load()
    keeper.saveSession({ n: 1 })
    await keeper.close()
    keeper.saveSession({ n: 2 })
    keeper.saveOutlook({ n: 2 })
    await keeper.settled()
    expect(await keeper.load()).toEqual({ session: { n: 1 }, outlook: undefined })
  })

  it('is found as it was left by a page that went before it was written, and by nobody after that', async () => {
    const word = lastWord()
    const first = keeperOf(fresh(), word)
    const { database } = first
    await first.keeper.load(true)
    first.keeper.saveSession({ n: 1 })
    await first.keeper.settled()
    expect(word.get()).toBeNull()
    // the page ends here: what it was about to write is never written
    const { transaction } = database
    database.transaction = () => new Promise<never>(() => undefined) as never
    first.keeper.saveSession({ n: 2 })
    first.keeper.saveSession({ n: 3 })
    first.keeper.saveOutlook({ theme: 'paper' })
    first.keeper.leave()
    database.transaction = transaction
    const second = keeperOf(database, word)
    expect(await second.keeper.load()).toEqual({ session: { n: 1 }, outlook: undefined })
    const kept = { session: { n: 3 }, outlook: { theme: 'paper' }, unwritten: true }
    expect(await second.keeper.load(true)).toEqual(kept)
    // as long as it is not written it is found again
    expect(await keeperOf(database, word).keeper.load(true)).toEqual(kept)
    second.keeper.saveSession({ n: 4 })
    await second.keeper.settled()
    expect(word.get()).toBeNull()
    expect(await keeperOf(database, word).keeper.load(true)).toEqual({ session: { n: 4 }, outlook: undefined })
  })

  it('goes by what was left where the last write of that page landed, not where another one wrote', async () => {
    const word = lastWord()
    const first = keeperOf(fresh(), word)
    const { database } = first
    await first.keeper.load(true)
    first.keeper.saveSession({ n: 1 })
    first.keeper.saveSession({ n: 2 })
    first.keeper.leave()
    const left = word.get() as string
    await first.keeper.settled()
    // it lived on and wrote all: nothing is left
    expect(word.get()).toBeNull()
    await database.sessions.update('current', { revision: 1, session: { n: 1 } })
    word.put(left)
    expect(await keeperOf(database, word).keeper.load(true)).toMatchObject({ session: { n: 2 }, unwritten: true })
    await database.sessions.update('current', { writer: 'another' })
    expect(await keeperOf(database, word).keeper.load(true)).toEqual({ session: { n: 1 }, outlook: undefined })
    for (const broken of ['{"revision', 'null', '7']) {
      word.put(broken)
      expect(await keeperOf(database, word).keeper.load(true)).toMatchObject({ session: { n: 1 } })
    }
  })
})
