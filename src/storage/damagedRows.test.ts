import 'fake-indexeddb/auto'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { finish, know } from '../core'
import { noise } from '../core/testing/signals'
import {
  firstOutlook,
  firstSession,
  readFoundFacts,
  readKnowledge,
  readOutlook,
  readSession,
  readTrial,
} from '../session'
import { damagesOf } from '../session/testing/damage'
import {
  createArrivalKeeper,
  createAsideKeeper,
  createContentKeeper,
  createFoundKeeper,
  createKnowledgeKeeper,
  createSessionKeeper,
  createTrialKeeper,
  openDatabase,
} from '.'

/** Storage's rows, each broken in fifty ways. What is read holds or is nothing, and no other row is lost. */

const database = openDatabase('damaged rows')
const hash = 'ab'.repeat(32)
const knowledge = finish(know(noise({ seconds: 0.5, seed: 2 })))
const trial = {
  span: { from: 0, to: 9 },
  measurement: {
    unlikenessDb: 1,
    artefacts: [{ id: 'smear', value: 2, measured: true, places: [], parts: { beforeDb: Number.NEGATIVE_INFINITY } }],
  },
}
const facts = {
  hash,
  frames: 100,
  sampleRate: 22_254.5454,
  channels: 2,
  container: 'AIFF',
  peak: 1,
  loudness: Number.NEGATIVE_INFINITY,
  knowledge,
}
const rows = {
  sessions: { id: 'current', savedAt: 1, session: firstSession(), revision: 3 },
  outlooks: { id: 'current', outlook: firstOutlook('ink') },
  contents: { hash, size: 3, parts: 'p' },
  fileParts: { sourceId: 'p', n: 0, bytes: new Blob(['abc']) },
  files: { sourceId: 'old', file: 'a.wav', bytes: new Blob(['abc']) },
  arrivals: { id: 'a', order: 1, name: 'a.wav', size: 3, bytes: new Blob(['abc']), tries: 0 },
  aside: { id: 's', at: 1, what: 'session' as const, why: 'it was damaged', raw: { sources: 5 } },
  knowledge: { hash, knowledge },
  found: { id: 'f', path: 'sea/gull.wav', bytes: new Blob(['abc']), facts, error: undefined },
  trials: { key: 'k', savedAt: 1, trial },
} as const

async function putAll() {
  for (const [name, row] of Object.entries(rows)) await database.table(name).put(row)
}

/** All that the page reads when it opens, and later on. */
async function readAll() {
  const events = { onError: () => undefined, onSaved: () => undefined, onOvertaken: () => undefined }
  const kept = await createSessionKeeper(database, events, () => 1).load()
  const contents = createContentKeeper(database)
  const found = await createFoundKeeper(database).all()
  return {
    session: kept && readSession(kept.session),
    outlook: readOutlook(kept?.outlook, firstOutlook('ink')).outlook,
    bytes: await contents.get([hash]),
    oldBytes: await contents.get([undefined, 'old']),
    arrivals: await createArrivalKeeper(database).all(),
    aside: await createAsideKeeper(database, () => 1).all(),
    knowledge: readKnowledge(await createKnowledgeKeeper(database).get(hash)),
    found: found.map((row) => readFoundFacts(row.facts)),
    foundBytes: await createFoundKeeper(database).bytes('f'),
    trial: readTrial(await createTrialKeeper(database, () => 1).get('k')),
    deleted: await contents.deleteUnused(() => new Set([hash, 'old'])),
  }
}

/** What of all that is read depends on which table. */
const dependsOn: Readonly<Record<keyof typeof rows, readonly string[]>> = {
  sessions: ['session', 'outlook'],
  outlooks: ['outlook'],
  contents: ['bytes'],
  fileParts: ['bytes'],
  files: ['oldBytes'],
  arrivals: ['arrivals'],
  aside: ['aside'],
  knowledge: ['knowledge'],
  found: ['found', 'foundBytes'],
  trials: ['trial'],
}

describe('rows of storage', () => {
  let whole: Record<string, unknown>
  beforeAll(async () => {
    await putAll()
    whole = await readAll()
  })
  afterAll(() => database.delete())

  it('hold what is read, as they are', () => {
    expect(whole.session).toMatchObject({ kind: 'read', mended: [] })
    for (const [name, value] of Object.entries(whole)) expect(value, name).toBeDefined()
    expect(whole).toMatchObject({ knowledge, trial, found: [facts], deleted: 0 })
  })

  it.each(Object.keys(rows) as (keyof typeof rows)[])('of %s may be damaged in any way', async (name) => {
    const table = database.table(name)
    let tried = 0
    for (const { name: what, value } of damagesOf(rows[name], 50)) {
      await table.clear()
      try {
        await table.put(value)
      } catch {
        // storage itself refuses a row without its key: there is none to read then
      }
      tried++
      const read: Record<string, unknown> = await readAll()
      for (const [part, was] of Object.entries(whole)) {
        if (part !== 'deleted' && !dependsOn[name].includes(part)) expect(read[part], `${what}: ${part}`).toEqual(was)
      }
      await table.clear()
      await putAll()
    }
    expect(tried).toBe(Math.min(50, tried))
    expect(tried).toBeGreaterThan(20)
    expect(await readAll()).toEqual(whole)
  })
})
