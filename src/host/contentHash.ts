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

/** The same of a file, wherever it lies. */
export async function hashOfBlob(blob: Blob): Promise<string> {
  const hash = await createContentHash()
  for (let at = 0; at < blob.size; at += PART_BYTES)
    hash.add(new Uint8Array(await blob.slice(at, at + PART_BYTES).arrayBuffer()))
  return hash.finish()
}
