import type { ArrivalRow, Database } from './database'
import { storageError } from './storageError'

/** Files that were brought in and wait to be read: they wait over a reload, too. */
export function createArrivalKeeper(database: Database) {
  return {
    /** In the order in which they came. */
    async all(): Promise<ArrivalRow[]> {
      const rows = await database.arrivals.toArray()
      const holds = ({ name, bytes, parts }: ArrivalRow) =>
        typeof name === 'string' && (bytes instanceof Blob || typeof parts === 'string')
      return rows.filter(holds).sort((a, b) => Number(a.order) - Number(b.order) || 0)
    },
    async put(row: ArrivalRow) {
      try {
        await database.arrivals.put(row)
      } catch (error) {
        throw storageError(error)
      }
    },
    /** Write down how often its reading was begun. */
    async begin(id: string, tries: number) {
      await database.arrivals.update(id, { tries }).catch(() => undefined)
    },
    async remove(id: string) {
      await database.arrivals.delete(id)
    },
  }
}
