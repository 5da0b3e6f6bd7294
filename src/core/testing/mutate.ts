import { createRandom } from '../dsp/random'

/** Ways in which files break: cut off, overwritten, shifted, with numbers that nobody expects. */

const EXTREMES: readonly number[] = [
  0, 1, 2, 0x7f, 0xff, 0x7fff, 0xffff, 0x7fffffff, 0x80000000, 0xfffffffe, 0xffffffff,
]

type Mutation = (bytes: Uint8Array, random: () => number, other: Uint8Array) => Uint8Array

const below = (random: () => number, most: number) => Math.floor(random() * most)

/** Headers are where trouble begins: half of all places lie in the first bytes. */
const place = (random: () => number, length: number) =>
  random() < 0.5 ? below(random, Math.min(length, 128)) : below(random, length)

const changed = (bytes: Uint8Array, change: (copy: Uint8Array) => void) => {
  const copy = bytes.slice()
  if (copy.length > 0) change(copy)
  return copy
}

const mutations: readonly Mutation[] = [
  // bits that fell over
  (bytes, random) =>
    changed(bytes, (copy) => {
      for (let n = 1 + below(random, 8); n > 0; n--) {
        const at = place(random, copy.length)
        copy[at] = (copy[at] as number) ^ (1 << below(random, 8))
      }
    }),
  // bytes that became others
  (bytes, random) =>
    changed(bytes, (copy) => {
      for (let n = 1 + below(random, 200); n > 0; n--) copy[place(random, copy.length)] = below(random, 256)
    }),
  // cut off, in front or behind
  (bytes, random) => bytes.slice(0, below(random, bytes.length)),
  (bytes, random) => bytes.slice(below(random, Math.min(bytes.length, 4096))),
  // a number of the header that is as large, or as small, as can be
  (bytes, random) =>
    changed(bytes, (copy) => {
      const view = new DataView(copy.buffer)
      for (let n = 1 + below(random, 2); n > 0; n--) {
        const at = below(random, Math.min(copy.length, 160))
        const value = EXTREMES[below(random, EXTREMES.length)] as number
        const little = random() < 0.5
        if (at + 4 <= copy.length && random() < 0.6) view.setUint32(at, value, little)
        else if (at + 2 <= copy.length) view.setUint16(at, value & 0xffff, little)
      }
    }),
  // a hole
  (bytes, random) =>
    changed(bytes, (copy) => {
      const at = place(random, copy.length)
      copy.fill(random() < 0.5 ? 0 : 255, at, at + below(random, copy.length))
    }),
  // something that was not there
  (bytes, random) => {
    const at = place(random, bytes.length)
    const extra = Uint8Array.from({ length: 1 + below(random, 600) }, () => below(random, 256))
    const out = new Uint8Array(bytes.length + extra.length)
    out.set(bytes.subarray(0, at))
    out.set(extra, at)
    out.set(bytes.subarray(at), at + extra.length)
    return out
  },
  // a piece that is missing
  (bytes, random) => {
    const at = place(random, bytes.length)
    const count = 1 + below(random, Math.max(1, bytes.length >> 2))
    const out = new Uint8Array(Math.max(0, bytes.length - Math.min(count, bytes.length - at)))
    out.set(bytes.subarray(0, at))
    out.set(bytes.subarray(at + count), at)
    return out
  },
  // the rest of another file
  (bytes, random, other) => {
    const at = place(random, bytes.length)
    const from = below(random, Math.max(1, other.length))
    const out = new Uint8Array(at + other.length - from)
    out.set(bytes.subarray(0, at))
    out.set(other.subarray(from), at)
    return out
  },
  // a piece that comes twice
  (bytes, random) => {
    const at = place(random, bytes.length)
    const count = Math.min(bytes.length - at, 1 + below(random, 5000))
    const out = new Uint8Array(bytes.length + count)
    out.set(bytes.subarray(0, at + count))
    out.set(bytes.subarray(at), at + count)
    return out
  },
]

/** One broken file of a seed, the same each time: one to three mutations, one upon the other. */
export function mutated(bytes: Uint8Array, other: Uint8Array, seed: number): Uint8Array {
  const random = createRandom(seed)
  let out = bytes
  for (let n = 1 + below(random, 3); n > 0; n--)
    out = (mutations[below(random, mutations.length)] as Mutation)(out, random, other)
  // a file whose first bytes are wrong is turned away at the door: most are let further in
  const head = Math.min(12, bytes.length, out.length)
  return random() < 0.75 ? changed(out, (copy) => copy.set(bytes.subarray(0, head))) : out
}
