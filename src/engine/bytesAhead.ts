import type { ByteSource } from '../core'
import { bytesOf } from './sound'

/** read from the file at once, bytes */
const CHUNK_BYTES = 2 ** 18
/** chunks that are on their way at the same time */
const MOST_COMING = 8
/** chunks that are kept: as much again as may be on its way */
const MOST_KEPT = 16

/** Bytes of a file that are read beside, before they are needed. */
export interface BytesAhead extends ByteSource {
  /**
   * Have bytes from `at` on read, as many as there is room for.
   * @returns how many of them, from `at` on, can be had at once; all where there is nothing more to wait for.
   */
  ahead(at: number, count: number): number
}

/**
 * The bytes of a blob, for a worker that may not be held up. What was not read ahead is read at once, while it waits.
 * @throws {AppError} as `bytesOf`.
 */
export function bytesAhead(blob: Blob, file: string): BytesAhead {
  const atOnce = bytesOf(blob, file)
  // the one used last stands last
  const kept = new Map<number, Uint8Array>()
  const coming = new Set<number>()
  let isLost = false

  function keep(n: number, bytes: Uint8Array) {
    kept.delete(n)
    kept.set(n, bytes)
    for (const oldest of kept.keys()) {
      if (kept.size <= MOST_KEPT) return
      kept.delete(oldest)
    }
  }

  async function fetch(n: number) {
    coming.add(n)
    try {
      const part = blob.slice(n * CHUNK_BYTES, (n + 1) * CHUNK_BYTES)
      keep(n, new Uint8Array(await part.arrayBuffer()))
    } catch {
      // whoever needs it is told when it is read at once
      isLost = true
    } finally {
      coming.delete(n)
    }
  }

  return {
    length: blob.size,
    read(at, count) {
      const end = Math.min(blob.size, at + count)
      const [first, last] = [Math.floor(at / CHUNK_BYTES), Math.floor((end - 1) / CHUNK_BYTES)]
      const parts: Uint8Array[] = []
      for (let n = first; n <= last; n++) {
        const there = kept.get(n)
        if (!there) return atOnce.read(at, count)
        keep(n, there)
        parts.push(there.subarray(Math.max(0, at - n * CHUNK_BYTES), Math.min(CHUNK_BYTES, end - n * CHUNK_BYTES)))
      }
      return parts.length === 1 ? (parts[0] as Uint8Array) : joined(parts)
    },
    ahead(at, count) {
      const end = Math.min(blob.size, at + count)
      if (isLost || end <= at) return count
      const [first, last] = [Math.floor(at / CHUNK_BYTES), Math.floor((end - 1) / CHUNK_BYTES)]
      for (let n = first; n <= last && n < first + MOST_COMING; n++) {
        const there = kept.get(n)
        if (there) keep(n, there)
        else if (!coming.has(n)) void fetch(n)
      }
      const full = Math.min(last + 1, first + MOST_COMING)
      let n = first
      while (n < full && kept.has(n)) n++
      return n === full ? count : Math.max(0, n * CHUNK_BYTES - at)
    },
  }
}

function joined(parts: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(parts.reduce((sum, { length }) => sum + length, 0))
  let at = 0
  for (const part of parts) {
    whole.set(part, at)
    at += part.length
  }
  return whole
}
