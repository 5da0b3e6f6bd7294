import type { Database } from './database'
import { storageError } from './storageError'

const RUN = 'run'
const FILE = 'file '

/** A batch as it runs, so that it goes on where it was; what it made lies here until it is put away. */
export const createBatchKeeper = (database: Database) => ({
  /** What was written down; its shape is checked where it is read. */
  async all(): Promise<{ readonly run: unknown; readonly files: readonly unknown[] }> {
    const rows = await database.batch.toArray()
    return {
      run: rows.find(({ id }) => id === RUN)?.state,
      files: rows.filter(({ id }) => id.startsWith(FILE)).map(({ state }) => state),
    }
  },
  /** A new batch, in the place of the one before. */
  async begin(run: unknown, files: readonly { readonly id: string }[]) {
    try {
      await database.transaction('rw', database.batch, async () => {
        await database.batch.clear()
        await database.batch.bulkPut([
          { id: RUN, state: run },
          ...files.map((state) => ({ id: FILE + state.id, state })),
        ])
      })
    } catch (error) {
      throw storageError(error)
    }
  },
  async putRun(run: unknown) {
    await database.batch.put({ id: RUN, state: run })
  },
  /** @param made  what it came to; what lies there stays without. */
  async putFile(state: { readonly id: string }, made?: Blob) {
    const id = FILE + state.id
    try {
      if (made) await database.batch.put({ id, state, made })
      else if ((await database.batch.update(id, { state })) === 0) await database.batch.put({ id, state })
    } catch (error) {
      throw storageError(error)
    }
  },
  async made(id: string): Promise<Blob | undefined> {
    const made: unknown = (await database.batch.get(FILE + id))?.made
    return made instanceof Blob ? made : undefined
  },
  clear: () => database.batch.clear(),
})
