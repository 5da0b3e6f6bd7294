import type { AudioBlock } from '../audio/block'
import { createSpectra } from './spectra'

/** what lies within this of something in the source may be its own shoulder, bins of the long window */
export const NEAR_BINS = 14
/** a line stands this far out of what lies beside it, and it reaches over so many bins to either side */
const LINE = 40
const LINE_BINS = 3
/** columns that are joined: neighbouring steps ask for most of the same ones */
const JOINED = 4
/** blocks that are kept: two minutes of a sound at 48 kHz */
const KEPT = 700

/** Fills in the most that a source has near each bin between two frames: of all, and of lines alone. */
export type Reach = (most: Float32Array, lines: Float32Array, from: number, to: number) => void

/** @param size  of the columns, frames. */
export function createReach(source: AudioBlock, size: number): Reach {
  const hop = size / 2
  const read = createSpectra(source, size)
  const blocks = new Map<number, { readonly most: Float32Array; readonly lines: Float32Array }>()
  const block = (n: number) => {
    let wide = blocks.get(n)
    if (!wide) {
      const all = new Float32Array(size / 2 + 1)
      const own = new Float32Array(all.length)
      for (let c = n * JOINED; c < (n + 1) * JOINED; c++) {
        const { power } = read(c * hop)
        maxInto(all, power)
        for (let k = 1; k < power.length; k++)
          if ((power[k] as number) > (own[k] as number) && isLine(power, k)) own[k] = power[k] as number
      }
      wide = { most: new Float32Array(all.length), lines: new Float32Array(all.length) }
      slidingMaxInto(wide.most, all, NEAR_BINS)
      slidingMaxInto(wide.lines, own, NEAR_BINS)
      blocks.set(n, wide)
      // the one that was made first
      if (blocks.size > KEPT) blocks.delete(blocks.keys().next().value as number)
    }
    return wide
  }
  return (most, lines, from, to) => {
    const first = Math.floor((from - hop) / (JOINED * hop))
    const last = Math.floor((to + hop) / (JOINED * hop))
    most.fill(0)
    lines.fill(0)
    for (let n = first; n <= last; n++) {
      const found = block(n)
      maxInto(most, found.most)
      maxInto(lines, found.lines)
    }
  }
}

/** Whether a bin belongs to a line: what lies just beside it has hardly anything. */
export function isLine(power: Float32Array, k: number): boolean {
  // what has as much at either side is none, and most are not
  if ((power[k] as number) <= (power[k - LINE_BINS] ?? 0) && (power[k] as number) <= (power[k + LINE_BINS] ?? 0))
    return false
  let top = k
  for (let n = k - LINE_BINS + 1; n < k + LINE_BINS; n++) if ((power[n] ?? 0) > (power[top] as number)) top = n
  let beside = 0
  for (let n = 2 * LINE_BINS; n <= NEAR_BINS; n++) beside = Math.max(beside, power[top - n] ?? 0, power[top + n] ?? 0)
  return (power[top] as number) > LINE * beside
}

export function maxInto(most: Float32Array, values: Float32Array) {
  for (let k = 0; k < most.length; k++) if ((values[k] as number) > (most[k] as number)) most[k] = values[k] as number
}

/** The largest value within `reach` of each place, by a queue of falling candidates. */
export function slidingMaxInto(out: Float32Array, values: Float32Array, reach: number) {
  const queue = new Int32Array(values.length)
  let head = 0
  let tail = 0
  let next = 0
  for (let i = 0; i < values.length; i++) {
    for (; next < values.length && next <= i + reach; next++) {
      while (tail > head && (values[queue[tail - 1] as number] as number) <= (values[next] as number)) tail--
      queue[tail++] = next
    }
    while ((queue[head] as number) < i - reach) head++
    out[i] = values[queue[head] as number] as number
  }
}
