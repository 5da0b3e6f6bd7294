import { AppError } from '../core'
import type { Database, FoundRow } from './database'

/**
 * Keeps the session as it changes. A write starts with the change itself; what changes while one is on its way is
 * written right after it, so the last state always lands and none is written twice.
 */
export function createSessionKeeper<S>(database: Database, onError: (error: unknown) => void, now: () => number) {
  let latest: S | undefined
  let writing: Promise<void> | undefined

  async function write() {
    while (latest !== undefined) {
      const session = latest
      latest = undefined
      try {
        await database.sessions.put({ id: 'current', savedAt: now(), session })
      } catch (error) {
        onError(storageError(error))
      }
    }
    writing = undefined
  }

  return {
    save(session: S) {
      latest = session
      writing ??= write()
    },
    /** resolves when all that was given has been written */
    settled: () => writing ?? Promise.resolve(),
    async load(): Promise<unknown> {
      return (await database.sessions.get('current'))?.session
    },
  }
}

const PART_BYTES = 2 ** 24

/** Files of sources, kept as they came. */
export function createFileKeeper(database: Database, partBytes = PART_BYTES) {
  /** what it holds now, wherever that lies: a browser may keep a file that it is given as no more than a reference to it */
  const copyOf = async (bytes: Blob) => new Blob([await bytes.arrayBuffer()])

  async function forget(sourceId: string) {
    await database.files.delete(sourceId)
    await database.fileParts.where({ sourceId }).delete()
  }

  return {
    /** A large file is copied in parts, so that it never lies in memory as a whole. */
    async put(sourceId: string, file: string, bytes: Blob) {
      try {
        if (bytes.size <= partBytes) {
          await database.files.put({ sourceId, file, bytes: await copyOf(bytes) })
          return
        }
        for (let n = 0; n * partBytes < bytes.size; n++) {
          const part = bytes.slice(n * partBytes, (n + 1) * partBytes)
          await database.fileParts.put({ sourceId, n, bytes: await copyOf(part) })
        }
        await database.files.put({ sourceId, file, bytes: undefined })
      } catch (error) {
        await forget(sourceId).catch(() => undefined)
        throw storageError(error)
      }
    },
    async get(sourceId: string): Promise<Blob | undefined> {
      const row = await database.files.get(sourceId)
      if (!row || row.bytes) return row?.bytes
      const parts = await database.fileParts.where({ sourceId }).sortBy('n')
      return new Blob(parts.map(({ bytes }) => bytes))
    },
    forget,
    /** Forget the files of all sources but these. Only to be called when nothing can be undone any more. */
    async keepOnly(sourceIds: readonly string[]) {
      const known = await database.files.toCollection().primaryKeys()
      await database.files.bulkDelete(known.filter((id) => !sourceIds.includes(id)))
      const parts = await database.fileParts.toCollection().primaryKeys()
      await database.fileParts.bulkDelete(parts.filter(([id]) => !sourceIds.includes(id)))
    },
  }
}

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

/** Files that are listed, with what is known of them. */
export function createFoundKeeper(database: Database) {
  return {
    all: () => database.found.toArray(),
    async put(rows: readonly FoundRow[]) {
      try {
        await database.found.bulkPut(rows as FoundRow[])
      } catch (error) {
        throw storageError(error)
      }
    },
    async note(id: string, part: Partial<Pick<FoundRow, 'facts' | 'error'>>) {
      await database.found.update(id, part)
    },
    async bytes(id: string): Promise<Blob | undefined> {
      return (await database.found.get(id))?.bytes
    },
    async remove(ids: readonly string[]) {
      await database.found.bulkDelete([...ids])
    },
  }
}

function storageError(error: unknown): unknown {
  const name = (error as { name?: string; inner?: { name?: string } })?.inner?.name ?? (error as Error)?.name
  return name === 'QuotaExceededError' ? new AppError('storage/full', {}, error) : error
}
