import { slidingMedianInto } from '../dsp/median'
import { type Slots, slotsFor } from './slots'
import { LEAST, MOST, PLACE_BYTES, SHARED, type WindowsProgram, windowsProgram } from './sortingNetwork'
import { type Kernels, kernels } from './wasm'

/** windows that ranks are found in together */
export const RANKS_AT_ONCE = 2 * SHARED

/**
 * Of equally long rows, column by column, in eight windows of `count` rows (odd), each one row further: the middle value, and the second
 * lowest where it is asked for.
 * Shape  `rows[count + 7][columns]`; results `[8][columns]`.
 */
export type Ranks = (
  rows: readonly Float32Array[],
  middle: readonly Float32Array[],
  second?: readonly Float32Array[],
) => void

export const ranks = (count: number, columns: number): Ranks => ranksKernel(count, columns) ?? ranksTwin(count, columns)

export function ranksTwin(count: number, columns: number): Ranks {
  const values = new Float32Array(count)
  return (rows, middle, second) => {
    for (let first = 0; first < RANKS_AT_ONCE; first++) {
      for (let k = 0; k < columns; k++) {
        // insertion: few values, and nearly in order from one column to the next
        for (let n = 0; n < count; n++) {
          const value = (rows[first + n] as Float32Array)[k] as number
          let at = n - 1
          while (at >= 0 && (values[at] as number) > value) {
            values[at + 1] = values[at] as number
            at--
          }
          values[at + 1] = value
        }
        ;(middle[first] as Float32Array)[k] = values[count >> 1] as number
        if (second) (second[first] as Float32Array)[k] = values[1] as number
      }
    }
  }
}

/**
 * Sliding median along a row: `out[i]` is the middle of the values from `i − reach` to `i + reach`; beyond the ends the window is cut
 * (the upper one of an even count). In place is fine.
 */
export type SlidingMedian = (out: Float32Array, row: Float32Array) => void

export const slidingMedian = (length: number, reach: number): SlidingMedian =>
  slidingMedianKernel(length, reach) ?? ((out, row) => slidingMedianInto(out, row.slice(), reach))

/** numbers in all rows, in one row and its ends, in a row laid out in segments; bytes of places and of a program */
const MOST_NUMBERS = 1 << 18
const MOST_LENGTH = 1 << 14
const MOST_LAID = 1 << 15
const MOST_PLACES = 512
const PROGRAM_BYTES = 1 << 14
const PROGRAMS = 8
/** numbers that stand side by side, and the most groups of windows that a program for one row is made for */
const LANES = 16
const MOST_GROUPS = 13
/** a narrower window has no four values in its middle that others could be put among */
const LEAST_WIDTH = 7

interface Areas {
  readonly rows: number
  readonly out: number
  readonly laid: number
  readonly found: number
  readonly places: number
  readonly programAt: Slots<WindowsProgram>
}

const areas = new WeakMap<Kernels, Areas | undefined>()

function areasOf(own: Kernels): Areas | undefined {
  if (!areas.has(own)) {
    const sizes = [
      4 * MOST_NUMBERS,
      4 * MOST_NUMBERS,
      4 * MOST_LAID,
      4 * MOST_LAID,
      PLACE_BYTES * MOST_PLACES,
      ...Array(PROGRAMS).fill(PROGRAM_BYTES),
    ]
    const taken = sizes.map((bytes) => own.take(bytes))
    if (taken.some((at) => at === undefined)) areas.set(own, undefined)
    else {
      const [rows, out, laid, found, places, ...slots] = taken as [number, number, number, number, number, ...number[]]
      const programAt = slotsFor<WindowsProgram>(slots, ({ code }, at) =>
        new Uint16Array(own.memory.buffer, at, code.length).set(code),
      )
      const one = PLACE_BYTES / 4
      own.floats.fill(Number.NEGATIVE_INFINITY, places / 4 + LEAST * one, places / 4 + (LEAST + 1) * one)
      own.floats.fill(Number.POSITIVE_INFINITY, places / 4 + MOST * one, places / 4 + (MOST + 1) * one)
      areas.set(own, { rows, out, laid, found, places, programAt })
    }
  }
  return areas.get(own)
}

const fits = ({ places, code }: WindowsProgram) => places <= MOST_PLACES && code.byteLength <= PROGRAM_BYTES

/** The same for many columns at once (kernels/median.ts); undefined where there are no kernels, or not for so many. */
export function ranksKernel(count: number, columns: number): Ranks | undefined {
  const own = kernels()
  const width = Math.ceil(columns / LANES) * LANES
  const incoming = count + RANKS_AT_ONCE - 1
  if (!own || count < LEAST_WIDTH || count % 2 === 0 || incoming * width > MOST_NUMBERS) return undefined
  const at = areasOf(own)
  const [alone, both] = [false, true].map((second) => windowsProgram(count, RANKS_AT_ONCE / SHARED, second)) as [
    WindowsProgram,
    WindowsProgram,
  ]
  if (!at || !fits(both)) return undefined
  const { floats } = own
  const result = (n: number) => floats.subarray(at.out / 4 + n * width, at.out / 4 + n * width + columns)
  return (rows, middle, second) => {
    for (let n = 0; n < incoming; n++) floats.set(rows[n] as Float32Array, at.rows / 4 + n * width)
    own.windowsOf(at.rows, 4 * width, columns, at.programAt(second ? both : alone), at.places, at.out, 4 * width)
    for (let n = 0; n < RANKS_AT_ONCE; n++) {
      middle[n]?.set(result(n))
      second?.[n]?.set(result(RANKS_AT_ONCE + n))
    }
  }
}

/** For as many results at a time as divide a row with least left over, and rather for many. */
function programAlong(length: number, width: number) {
  const each = Math.ceil(length / LANES)
  const roundedBy = (groups: number) => Math.ceil(each / (SHARED * groups)) * SHARED * groups
  const counts = Array.from({ length: MOST_GROUPS }, (_, n) => MOST_GROUPS - n)
  for (const groups of counts.sort((a, b) => roundedBy(a) - roundedBy(b))) {
    const program = windowsProgram(width, groups, false)
    const segment = roundedBy(groups)
    if (fits(program) && LANES * (segment + width + 3) <= MOST_LAID) return { program, groups, segment }
  }
  return undefined
}

/** The same for a row in sixteen segments (kernels/median.ts); undefined where there are no kernels, or not for so long a row. */
export function slidingMedianKernel(length: number, reach: number): SlidingMedian | undefined {
  const own = kernels()
  const reached = 2 * reach
  // both ends must not be in one window
  if (!own || reached + 1 < LEAST_WIDTH || length < reached + 1 || length + reached > MOST_LENGTH) return undefined
  const at = areasOf(own)
  const found = at && programAlong(length, reached + 1)
  if (!at || !found) return undefined
  const { program, groups, segment } = found
  const room = own.floats.subarray(at.rows / 4, at.rows / 4 + LANES * segment + reached + 4)
  const medians = own.floats.subarray(at.out / 4, at.out / 4 + length)
  return (out, row) => {
    room.set(row, reach)
    // of a window that is cut, as many on either side of the middle are put back as are missing: greatest and least by turns
    for (let n = 0; n < reach; n++) {
      const beyond = n % 2 === 0 ? Number.POSITIVE_INFINITY : Number.NEGATIVE_INFINITY
      room[reach - 1 - n] = beyond
      room[reach + length + n] = beyond
    }
    own.windowsAlong(
      at.rows,
      segment,
      reached,
      SHARED * groups,
      at.programAt(program),
      at.places,
      at.laid,
      at.found,
      at.out,
    )
    out.set(medians)
  }
}
