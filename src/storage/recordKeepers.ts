import type { Database, FoundRow } from './database'
import { storageError } from './storageError'

/** What was found out about sounds, so that nothing is found out twice. */
export function createKnowledgeKeeper(database: Database) {
  return {
    async get(hash: string): Promise<unknown> {
      return (await database.knowledge.get(hash))?.knowledge
    },
    async put(hash: string, knowledge: unknown) {
      try {
        await database.knowledge.put({ hash, knowledge })
      } catch (error) {
        throw storageError(error)
      }
    },
  }
}

const MOST_TRIALS = 6000

/** What was measured, so that nothing is measured twice; beyond some thousands the oldest are forgotten. */
export function createTrialKeeper(database: Database, now: () => number, most = MOST_TRIALS) {
  return {
    async get(key: string): Promise<unknown> {
      return (await database.trials.get(key))?.trial
    },
    async getMany(keys: readonly string[]): Promise<unknown[]> {
      return (await database.trials.bulkGet([...keys])).map((row) => row?.trial)
    },
    async put(key: string, trial: unknown) {
      try {
        await database.trials.put({ key, savedAt: now(), trial })
        const over = (await database.trials.count()) - most
        if (over > 0) await database.trials.orderBy('savedAt').limit(over).delete()
      } catch (error) {
        throw storageError(error)
      }
    },
  }
}

/** files are copied as they are handed over, while the page waits */
const ROWS_AT_ONCE = 20

/** Files that are listed, with what is known of them. */
export function createFoundKeeper(database: Database) {
  return {
    all: () => database.found.toArray(),
    async put(rows: readonly FoundRow[]) {
      try {
        for (let n = 0; n < rows.length; n += ROWS_AT_ONCE)
          await database.found.bulkPut(rows.slice(n, n + ROWS_AT_ONCE) as FoundRow[])
      } catch (error) {
        throw storageError(error)
      }
    },
    async note(id: string, part: Partial<Pick<FoundRow, 'facts' | 'error'>>) {
      await database.found.update(id, part)
    },
    async bytes(id: string): Promise<Blob | undefined> {
      const bytes: unknown = (await database.found.get(id))?.bytes
      return bytes instanceof Blob ? bytes : undefined
    },
    async remove(ids: readonly string[]) {
      await database.found.bulkDelete([...ids])
    },
  }
}
