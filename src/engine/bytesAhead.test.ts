import { afterEach, describe, expect, it, vi } from 'vitest'
import { createRandom } from '../core/dsp/random'
import { bytesAhead } from './bytesAhead'

const random = createRandom(3)
const bytes = Uint8Array.from({ length: 3_000_001 }, () => 256 * random())
let atOnce = 0

/** A blob whose bytes come in the next turn, or at once as in a worker. */
const blobOf = (own: Uint8Array, broken = false): Blob =>
  ({
    own,
    size: own.length,
    slice: (from: number, to: number) => blobOf(own.slice(from, to), broken),
    arrayBuffer: async () => {
      if (broken) throw new Error('it is gone')
      return own.slice().buffer
    },
  }) as unknown as Blob

function worker(broken = false) {
  atOnce = 0
  vi.stubGlobal(
    'FileReaderSync',
    class {
      readAsArrayBuffer(blob: Blob) {
        atOnce++
        if (broken) throw new Error('it is gone')
        return (blob as unknown as { own: Uint8Array }).own.slice().buffer
      }
    },
  )
}
afterEach(() => vi.unstubAllGlobals())

const same = (a: Uint8Array, b: Uint8Array) => Buffer.compare(a, b) === 0
const turn = () => new Promise((resolve) => setTimeout(resolve))

describe('bytes that are read ahead', () => {
  it('are the bytes of the file, whether they were or not, in any order', async () => {
    worker()
    const source = bytesAhead(blobOf(bytes), 'tide.wav')
    for (let n = 0; n < 300; n++) {
      const at = Math.floor(random() * (bytes.length + 100))
      const count = Math.floor(random() * 700_000)
      if (random() < 0.5) source.ahead(at, count)
      if (random() < 0.5) await turn()
      expect(same(source.read(at, count), bytes.slice(at, at + count))).toBe(true)
    }
    expect(atOnce).toBeGreaterThan(0)
  })

  it('hold nobody up: all that is told to be there is had without waiting', async () => {
    worker()
    const source = bytesAhead(blobOf(bytes), 'tide.wav')
    expect(source.ahead(1000, 600_000)).toBe(0)
    await turn()
    expect(source.ahead(1000, 600_000)).toBe(600_000)
    expect(same(source.read(1000, 600_000), bytes.slice(1000, 601_000))).toBe(true)
    // of very much, as much as there is room for
    for (let at = 0; at < bytes.length; ) {
      const there = source.ahead(at, Math.min(1_000_000, bytes.length - at))
      if (there === 0) await turn()
      else expect(same(source.read(at, there), bytes.slice(at, at + there))).toBe(true)
      at += there
    }
    expect(atOnce).toBe(0)
  })

  it('that cannot be read are no reason to wait: whoever needs them is told', async () => {
    worker(true)
    const source = bytesAhead(blobOf(bytes, true), 'tide.wav')
    source.ahead(0, 1000)
    await turn()
    expect(source.ahead(0, 1000)).toBe(1000)
    expect(() => source.read(0, 1000)).toThrow(expect.objectContaining({ code: 'storage/lost' }))
  })
})
