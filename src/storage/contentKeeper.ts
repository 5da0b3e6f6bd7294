import type { ContentRow, Database } from './database'
import { storageError } from './storageError'

const PART_BYTES = 2 ** 24

/** Keys that a file's bytes may lie under: their hash, or, from an older version, their source's id. */
export type ContentKeys = readonly (string | undefined)[]

/** Bytes in storage that do not lie under their hash yet. */
export type Held = Omit<ContentRow, 'hash'>

/** Files as they came, by the hash of their bytes: the same bytes lie there once. */
export function createContentKeeper(database: Database, partBytes = PART_BYTES) {
  /** a copy of what it holds now: a browser may keep a file that it is given as a mere reference */
  const copyOf = async (bytes: Blob) => new Blob([await bytes.arrayBuffer()])
  const partsOf = (parts: string) => database.fileParts.where({ sourceId: parts })
  /** what was kept lately, and nothing names yet: whoever brought it in is about to */
  const fresh = new Set<string>()
  const copying = new Set<string>()

  async function bytesOf(row: Held | undefined): Promise<Blob | undefined> {
    if (row?.bytes instanceof Blob) return row.bytes
    if (typeof row?.parts !== 'string') return undefined
    return joined(row.parts, row.size)
  }

  async function joined(parts: string, size?: number): Promise<Blob | undefined> {
    const rows = await partsOf(parts).sortBy('n')
    const whole = rows.every(({ n, bytes }, i) => n === i && bytes instanceof Blob)
    const blob = whole && rows.length > 0 ? new Blob(rows.map(({ bytes }) => bytes)) : undefined
    return size === undefined || blob?.size === size ? blob : undefined
  }

  async function isWhole(hash: string, size: number) {
    return (await bytesOf(await database.contents.get(hash)))?.size === size
  }

  const keeper = {
    /**
     * Copy bytes into storage, whatever becomes of their file. A large file is copied in parts: it never lies in memory
     * as a whole.
     */
    async take(bytes: Blob): Promise<Held> {
      const { size } = bytes
      const parts = crypto.randomUUID()
      copying.add(parts)
      try {
        if (size <= partBytes) return { size, bytes: await copyOf(bytes) }
        for (let n = 0; n * partBytes < size; n++) {
          const part = bytes.slice(n * partBytes, (n + 1) * partBytes)
          await database.fileParts.put({ sourceId: parts, n, bytes: await copyOf(part) })
        }
        return { size, parts }
      } catch (error) {
        await keeper.drop({ size, parts })
        throw storageError(error)
      }
    },
    /** The bytes that were copied; undefined where they are no longer there. */
    held: (held: Held): Promise<Blob | undefined> => bytesOf(held),
    /** Let go of what was copied. */
    async drop({ parts }: Held) {
      if (parts === undefined) return
      copying.delete(parts)
      await partsOf(parts)
        .delete()
        .catch(() => undefined)
    },
    /** Let what was copied lie under its hash; where the same bytes lie there already it goes. */
    async keep(hash: string, held: Held) {
      fresh.add(hash)
      try {
        if (await isWhole(hash, held.size)) await keeper.drop(held)
        else await database.contents.put({ hash, ...held })
      } catch (error) {
        throw storageError(error)
      } finally {
        if (held.parts !== undefined) copying.delete(held.parts)
      }
    },
    /** Both in one. */
    async put(hash: string, bytes: Blob) {
      fresh.add(hash)
      if (!(await isWhole(hash, bytes.size))) await keeper.keep(hash, await keeper.take(bytes))
    },
    /** What was put is not needed after all: it goes with the next `deleteUnused` if nothing names it. */
    release(hashes: Iterable<string>) {
      for (const hash of hashes) fresh.delete(hash)
    },
    /** The bytes that lie under the first of these keys that has any; undefined where none has, or not all of them. */
    async get(keys: ContentKeys): Promise<Blob | undefined> {
      for (const key of keys) {
        if (key === undefined) continue
        const found = await bytesOf(await database.contents.get(key))
        if (found) return found
        const old = await database.files.get(key)
        if (old?.bytes instanceof Blob) return old.bytes
        const parts = old && (await joined(key))
        if (parts) return parts
      }
      return undefined
    },
    /** Let bytes that an older version kept under a source's id lie under their hash from now on. */
    async adopt(sourceId: string, hash: string) {
      await database.transaction('rw', database.files, database.contents, database.fileParts, async () => {
        const old = await database.files.get(sourceId)
        if (!old) return
        const bytes = old.bytes instanceof Blob ? old.bytes : undefined
        if (await database.contents.get(hash)) {
          if (!bytes) await partsOf(sourceId).delete()
        } else if (bytes) await database.contents.put({ hash, size: bytes.size, bytes })
        else {
          const rows = await partsOf(sourceId).toArray()
          const size = rows.reduce((sum, row) => sum + (row.bytes instanceof Blob ? row.bytes.size : 0), 0)
          await database.contents.put({ hash, size, parts: sourceId })
        }
        await database.files.delete(sourceId)
      })
    },
    /**
     * Bytes are deleted that nothing names: no text of `named`, of the session as it is written, or of what lies aside.
     * Returns how many files went.
     */
    async deleteUnused(named: () => ReadonlySet<string>): Promise<number> {
      const { contents, files, fileParts, sessions, aside, arrivals } = database
      return database.transaction('rw', [contents, files, fileParts, sessions, aside, arrivals], async () => {
        const used = new Set(named())
        for (const hash of fresh) if (used.has(hash)) fresh.delete(hash)
        for (const hash of fresh) used.add(hash)
        for (const row of await sessions.toArray()) textsIn(row.session, used)
        for (const row of await aside.toArray()) textsIn(row.raw, used)
        const rows = await contents.toArray()
        const goes = rows.filter(({ hash }) => !used.has(hash))
        const oldGoes = (await files.toCollection().primaryKeys()).filter((id) => !used.has(id))
        await contents.bulkDelete(goes.map(({ hash }) => hash))
        await files.bulkDelete(oldGoes)
        const stays = rows.filter(({ hash }) => used.has(hash)).map(({ parts }) => parts ?? '')
        const waiting = (await arrivals.toArray()).map(({ parts }) => parts ?? '')
        const left = new Set([...used, ...copying, ...stays, ...waiting])
        const parts = await fileParts.toCollection().primaryKeys()
        await fileParts.bulkDelete(parts.filter(([id]) => !left.has(id)))
        return goes.length + oldGoes.length
      })
    },
  }
  return keeper
}

/** Every text in plain data, into `texts`. */
export function textsIn(value: unknown, texts: Set<string>, seen = new Set<unknown>()) {
  if (typeof value === 'string') texts.add(value)
  if (typeof value !== 'object' || value === null || ArrayBuffer.isView(value) || seen.has(value)) return
  // what was stored may hold itself
  seen.add(value)
  const inner = value instanceof Map ? [...value.keys(), ...value.values()] : Object.values(value)
  for (const item of inner) textsIn(item, texts, seen)
}
