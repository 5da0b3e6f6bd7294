import type { Database } from './database'

/** Folders and files that results are written to, by what they are for. */
export const createPlaceKeeper = (database: Database) => ({
  get: async (id: string): Promise<FileSystemHandle | undefined> => (await database.places.get(id))?.handle,
  async put(id: string, handle: FileSystemHandle) {
    try {
      await database.places.put({ id, handle })
    } catch {
      // a handle that cannot be kept is good for now
    }
  },
  remove: (id: string) => database.places.delete(id),
})
