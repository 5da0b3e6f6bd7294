import { type Kernels, kernels } from './wasm'

/**
 * Of equally long rows, column by column: the value that `low` others are not above, and the one in the middle (the upper one of
 * an even count).
 * Shape  `rows[count][columns]`; both results `[columns]`.
 */
export type Ranks = (rows: readonly Float32Array[], lowest: Float32Array, middle: Float32Array) => void

export const ranks = (count: number, columns: number, low: number): Ranks =>
  ranksKernel(count, columns, low) ?? ranksTwin(count, columns, low)

export function ranksTwin(count: number, columns: number, low: number): Ranks {
  const values = new Float32Array(count)
  return (rows, lowest, middle) => {
    for (let k = 0; k < columns; k++) {
      // insertion: few values, and nearly in order from one column to the next
      for (let n = 0; n < count; n++) {
        const value = (rows[n] as Float32Array)[k] as number
        let at = n - 1
        while (at >= 0 && (values[at] as number) > value) {
          values[at + 1] = values[at] as number
          at--
        }
        values[at + 1] = value
      }
      lowest[k] = values[low] as number
      middle[k] = values[count >> 1] as number
    }
  }
}

/** rows that there is room for, and numbers in all of them */
const MOST_ROWS = 64
const MOST_NUMBERS = 1 << 18
const MOST_COLUMNS = 1 << 15
const MOST_PAIRS = 700

interface Areas {
  readonly rows: number
  readonly pairs: number
  readonly scratch: number
  readonly a: number
  readonly b: number
}

const areas = new WeakMap<Kernels, Areas | undefined>()

function areasOf(own: Kernels): Areas | undefined {
  if (!areas.has(own)) {
    const sizes = [4 * MOST_NUMBERS, 8 * MOST_PAIRS, 64 * MOST_ROWS, 4 * MOST_COLUMNS + 64, 4 * MOST_COLUMNS + 64]
    const [rows, pairs, scratch, a, b] = sizes.map((bytes) => own.take(bytes))
    const all = { rows, pairs, scratch, a, b }
    areas.set(own, Object.values(all).some((at) => at === undefined) ? undefined : (all as Areas))
  }
  return areas.get(own)
}

/** The same for many columns at once (kernels/median.ts); undefined where there are no kernels, or not for so many. */
export function ranksKernel(count: number, columns: number, low: number): Ranks | undefined {
  const own = kernels()
  const width = Math.ceil(columns / 16) * 16
  const network = networkFor(count, [low, count >> 1])
  if (!own || count > MOST_ROWS || columns > MOST_COLUMNS || count * width > MOST_NUMBERS) return undefined
  const at = areasOf(own)
  if (!at || network.length > MOST_PAIRS) return undefined
  const offsets = Uint32Array.from(network.flat(), (row) => 64 * row)
  const pairs = new Uint32Array(own.memory.buffer, at.pairs, offsets.length)
  const view = (place: number, length: number) => own.floats.subarray(place / 4, place / 4 + length)
  return (rows, lowest, middle) => {
    pairs.set(offsets)
    for (let n = 0; n < count; n++) view(at.rows + 4 * n * width, columns).set(rows[n] as Float32Array)
    own.ranksOf(at.rows, 4 * width, count, columns, at.pairs, network.length, at.scratch, low, at.a, count >> 1, at.b)
    lowest.set(view(at.a, columns))
    middle.set(view(at.b, columns))
  }
}

/** Comparisons that sort `count` values, without those that none of the wanted ranks hangs on. */
function networkFor(count: number, wanted: readonly number[]): (readonly [number, number])[] {
  const all: (readonly [number, number])[] = []
  // merge exchange works for any count
  let top = 1
  while (2 * top < count) top *= 2
  for (let p = top; p > 0; p >>= 1) {
    let q = top
    let r = 0
    let d = p
    for (;;) {
      for (let i = 0; i < count - d; i++) if ((i & p) === r) all.push([i, i + d])
      if (q === p) break
      d = q - p
      q >>= 1
      r = p
    }
  }
  const needed = new Set(wanted)
  return all
    .reverse()
    .filter(([a, b]) => {
      if (!needed.has(a) && !needed.has(b)) return false
      needed.add(a)
      needed.add(b)
      return true
    })
    .reverse()
}
