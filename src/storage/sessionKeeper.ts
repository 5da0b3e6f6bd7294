import { AppError } from '../core'
import type { Database } from './database'

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

/** Files of sources, kept as they came. */
export function createFileKeeper(database: Database) {
  return {
    async put(sourceId: string, file: string, bytes: Blob) {
      try {
        await database.files.put({ sourceId, file, bytes })
      } catch (error) {
        throw storageError(error)
      }
    },
    async get(sourceId: string): Promise<Blob | undefined> {
      return (await database.files.get(sourceId))?.bytes
    },
    /** Forget the files of all sources but these. Only to be called when nothing can be undone any more. */
    async keepOnly(sourceIds: readonly string[]) {
      const known = await database.files.toCollection().primaryKeys()
      await database.files.bulkDelete(known.filter((id) => !sourceIds.includes(id)))
    },
  }
}

function storageError(error: unknown): unknown {
  const name = (error as { name?: string; inner?: { name?: string } })?.inner?.name ?? (error as Error)?.name
  return name === 'QuotaExceededError' ? new AppError('storage/full', {}, error) : error
}
