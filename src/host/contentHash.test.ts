import { createHash } from 'node:crypto'
import { describe, expect, it } from 'vitest'
import { hashOfBlob } from './contentHash'

describe('hashOfBlob', () => {
  it('is SHA-256 of the bytes, for files of any size', async () => {
    for (const size of [0, 1, 100_000, 2 ** 23, 2 ** 23 + 1, 3 * 2 ** 23 - 5]) {
      const bytes = Uint8Array.from({ length: size }, (_, i) => (i * i) & 255)
      const hash = createHash('sha256').update(bytes).digest('hex')
      for (const mostAtOnce of [undefined, 99_999]) {
        let read = 0
        const told = (more: number) => {
          read += more
        }
        expect(await hashOfBlob(new Blob([bytes]), told, mostAtOnce), String(size)).toBe(hash)
        expect(read).toBe(size)
      }
    }
  })
})
