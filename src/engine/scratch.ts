import { AppError } from '../core'

/** Files on the browser's own disk for what is made once and handed out: a long result need not lie in memory. */

const PLACE = 'results'
/** what was handed out is gone by then */
const KEPT_MS = 3_600_000

/** What of it the types of a page lack: only workers have it. */
interface SyncFile {
  write(bytes: Uint8Array<ArrayBuffer>, options: { readonly at: number }): number
  close(): void
}

export interface Scratch {
  write(bytes: Uint8Array<ArrayBuffer>): void
  /** All that was written: it stays on the disk. */
  finish(): Promise<Blob>
  discard(): Promise<void>
}

/** A name for a folder of such files; it tells how old they are. */
export const scratchFolder = () => `${Date.now()} ${crypto.randomUUID()}`

async function folderOf(name: string) {
  const root = await navigator.storage.getDirectory()
  const place = await root.getDirectoryHandle(PLACE, { create: true })
  return place.getDirectoryHandle(name, { create: true })
}

/**
 * Open a place to write to, for whoever is in a worker: a file of this folder; memory without one, or where this browser has no such
 * disk, as in a private window. `write` throws {AppError} `storage/full` when there is no room left.
 */
const openScratch = async (folder: string | undefined): Promise<Scratch> =>
  (folder !== undefined && (await openFile(folder))) || inBlobs()

/** What work writes, and what else comes of it; nothing stays of work that fails. */
export async function inScratch<Facts>(
  folder: string | undefined,
  work: (write: Scratch['write']) => Promise<Facts>,
): Promise<{ readonly blob: Blob; readonly facts: Facts }> {
  const scratch = await openScratch(folder)
  try {
    const facts = await work(scratch.write)
    return { blob: await scratch.finish(), facts }
  } catch (error) {
    await scratch.discard()
    throw error
  }
}

async function openFile(folder: string): Promise<Scratch | undefined> {
  try {
    const place = await folderOf(folder)
    const name = crypto.randomUUID()
    const handle = await place.getFileHandle(name, { create: true })
    const file = await (
      handle as FileSystemFileHandle & { createSyncAccessHandle(): Promise<SyncFile> }
    ).createSyncAccessHandle()
    let at = 0
    return {
      write(bytes) {
        try {
          for (let done = 0; done < bytes.length; ) done += file.write(bytes.subarray(done), { at: at + done })
          at += bytes.length
        } catch (error) {
          throw (error as Error)?.name === 'QuotaExceededError' ? new AppError('storage/full', {}, error) : error
        }
      },
      async finish() {
        file.close()
        return handle.getFile()
      },
      async discard() {
        file.close()
        // the folder may be gone already
        await place.removeEntry(name).catch(() => undefined)
      },
    }
  } catch {
    return undefined
  }
}

/** bytes that may lie in arrays: blobs may leave the memory, arrays may not */
const MOST_LOOSE_BYTES = 2 ** 23

/** What is written, in memory. */
function inBlobs(): Scratch {
  const parts: BlobPart[] = []
  let loose: Uint8Array<ArrayBuffer>[] = []
  let looseBytes = 0
  return {
    write(bytes) {
      loose.push(bytes)
      looseBytes += bytes.length
      if (looseBytes < MOST_LOOSE_BYTES) return
      parts.push(new Blob(loose))
      loose = []
      looseBytes = 0
    },
    finish: async () => new Blob([...parts, ...loose]),
    discard: async () => {},
  }
}

/** Remove a folder of such files, or those that nobody can be waiting for any more. */
export async function clearScratch(folder?: string) {
  try {
    const root = await navigator.storage.getDirectory()
    const place = (await root.getDirectoryHandle(PLACE)) as FileSystemDirectoryHandle & {
      keys(): AsyncIterable<string>
    }
    const names: string[] = []
    if (folder === undefined) for await (const name of place.keys()) names.push(name)
    const old = names.filter((name) => !(Number.parseInt(name, 10) > Date.now() - KEPT_MS))
    for (const name of folder === undefined ? old : [folder]) await place.removeEntry(name, { recursive: true })
  } catch {
    // there is nothing to remove, or nothing that may be
  }
}
