import { createSHA256 } from 'hash-wasm'

/** a part that is hashed at once: a long file never lies in memory as a whole */
const PART_BYTES = 2 ** 23

/** SHA-256, hex, of bytes that come in parts. Files of any size are known by it. */
export async function createContentHash(): Promise<{ add(bytes: Uint8Array): void; finish(): string }> {
  const hash = await createSHA256()
  hash.init()
  return {
    add: (bytes) => {
      hash.update(bytes)
    },
    finish: () => hash.digest('hex'),
  }
}

/** up to so many bytes a file is hashed by the machine itself: many times quicker, but all of it at once */
const MOST_AT_ONCE = 2 ** 27

/**
 * The same of a file, wherever it lies.
 * @param told  hears of the bytes that were read, as they are; it may throw.
 */
export async function hashOfBlob(
  blob: Blob,
  told: (bytes: number) => void = () => undefined,
  mostAtOnce = MOST_AT_ONCE,
): Promise<string> {
  if (blob.size <= mostAtOnce) {
    const bytes = await blob.arrayBuffer()
    told(bytes.byteLength)
    return hashAtOnce(bytes)
  }
  const hash = await createContentHash()
  for (let at = 0; at < blob.size; at += PART_BYTES) {
    const bytes = new Uint8Array(await blob.slice(at, at + PART_BYTES).arrayBuffer())
    told(bytes.length)
    hash.add(bytes)
  }
  return hash.finish()
}

/** The same of bytes that lie in memory. */
export async function hashAtOnce(bytes: ArrayBuffer | Uint8Array<ArrayBuffer>): Promise<string> {
  const hash = new Uint8Array(await crypto.subtle.digest('SHA-256', bytes))
  return [...hash].map((byte) => byte.toString(16).padStart(2, '0')).join('')
}
