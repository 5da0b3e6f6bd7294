import { createHash } from 'node:crypto'
import { describe, expect, it } from 'vitest'
import { hashOfBlob } from './contentHash'

describe('hashOfBlob', () => {
  it('is SHA-256 of the bytes, for files of any size', async () => {
    for (const size of [0, 1, 100_000, 2 ** 23, 2 ** 23 + 1, 3 * 2 ** 23 - 5]) {
      const bytes = Uint8Array.from({ length: size }, (_, i) => (i * i) & 255)
      expect(await hashOfBlob(new Blob([bytes])), String(size)).toBe(createHash('sha256').update(bytes).digest('hex'))
    }
  })
})
