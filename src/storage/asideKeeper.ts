import type { AsideRow, Database } from './database'
import { storageError } from './storageError'

/** What could not be read, or not as it was: it stays as it lay there until somebody says that it may go. */
export function createAsideKeeper(database: Database, now: () => number) {
  return {
    /** The latest first. */
    async all(): Promise<AsideRow[]> {
      const rows = await database.aside.toArray()
      return rows.sort((a, b) => Number(b.at) - Number(a.at) || 0)
    },
    async put(row: Pick<AsideRow, 'what' | 'why' | 'raw'>): Promise<AsideRow> {
      const kept: AsideRow = { ...row, id: crypto.randomUUID(), at: now() }
      try {
        await database.aside.put(kept)
      } catch (error) {
        throw storageError(error)
      }
      return kept
    },
    async remove(id: string) {
      await database.aside.delete(id)
    },
  }
}
