import { load } from './columns'
import { type Slots, slotsFor } from './slots'
import { type Kernels, kernels } from './wasm'

/** Weights of a windowed sinc: `phases` + 1 rows of `2 × half` from one frame to the next. */
export interface SincTable {
  readonly rows: Float64Array
  readonly phases: number
  readonly half: number
}

/** frames of signal that are read from at once, positions, and the bytes of a table */
const FRAMES = 1 << 15
const POSITIONS = 1024
const SLOT_BYTES = 270_336
/** as many tables as keys that may sound at once: laid again and again they would take longer than what is read by them */
const SLOTS = 64
/** the same of tables that do not blend: there are few of them at a time */
const LARGE_SLOT_BYTES = 1_572_864
const LARGE_SLOTS = 2

interface Areas {
  readonly a: number
  readonly b: number
  readonly outA: number
  readonly outB: number
  readonly positions: number
  readonly slotOf: Slots<SincTable>
  readonly largeSlotOf: Slots<SincTable>
}

const areas = new WeakMap<Kernels, Areas | undefined>()

function areasOf(own: Kernels): Areas | undefined {
  if (!areas.has(own)) {
    const sizes = [
      4 * FRAMES,
      4 * FRAMES,
      4 * POSITIONS,
      4 * POSITIONS,
      8 * POSITIONS,
      ...Array(SLOTS).fill(SLOT_BYTES),
      ...Array(LARGE_SLOTS).fill(LARGE_SLOT_BYTES),
    ]
    const places = sizes.map((bytes) => own.take(bytes))
    if (places.some((at) => at === undefined)) areas.set(own, undefined)
    else {
      const [a, b, outA, outB, positions, ...slots] = places as [number, number, number, number, number, ...number[]]
      const slotOf = (some: readonly number[]) => slotsFor<SincTable>(some, (table, at) => layTable(own, table, at))
      areas.set(own, {
        a,
        b,
        outA,
        outB,
        positions,
        slotOf: slotOf(slots.slice(0, SLOTS)),
        largeSlotOf: slotOf(slots.slice(SLOTS)),
      })
    }
  }
  return areas.get(own)
}

const padded = (taps: number) => Math.ceil(taps / 8) * 8

function layTable(own: Kernels, table: SincTable, slot: number) {
  const taps = 2 * table.half
  const width = padded(taps)
  const rows = own.floats.subarray(slot / 4, slot / 4 + (table.phases + 1) * width)
  if (width === taps) rows.set(table.rows)
  else {
    rows.fill(0)
    for (let n = 0; n <= table.phases; n++) rows.set(table.rows.subarray(n * taps, (n + 1) * taps), n * width)
  }
}

export type ReadPositions = (
  channels: readonly Float32Array[],
  positions: Float64Array,
  count: number,
  values: readonly Float32Array[],
  at: number,
) => void

/**
 * Reads channels at `count` rising positions by a table, in single precision (kernels/resample.ts); undefined where there are no
 * kernels, or the table is too large for them.
 * @param hair  what may lack to a frame to count as on it, frames.
 */
export function positionKernel(table: SincTable, hair: number): ReadPositions | undefined {
  const own = kernels()
  const taps = padded(2 * table.half)
  const bytes = 4 * taps * (table.phases + 1)
  if (!own || bytes > LARGE_SLOT_BYTES || 2 * taps > FRAMES) return undefined
  const at = areasOf(own)
  if (!at) return undefined
  const slotOf = bytes > SLOT_BYTES ? at.largeSlotOf : at.slotOf
  const view = (place: number, frames: number) => own.floats.subarray(place / 4, place / 4 + frames)
  const asked = new Float64Array(own.memory.buffer, at.positions, POSITIONS)

  return (channels, positions, count, values, offset) => {
    const slot = slotOf(table)
    for (let done = 0; done < count; ) {
      const first = Math.floor((positions[done] as number) + hair) - table.half + 1
      // as many as the area holds frames for
      let end = Math.min(count, done + POSITIONS)
      while (end - done > 1 && (positions[end - 1] as number) + table.half + 8 - first > FRAMES)
        end = done + ((end - done) >> 1)
      const length = Math.ceil(positions[end - 1] as number) + table.half + 8 - first
      const shift = first + table.half - 1
      for (let c = 0; c < channels.length; c += 2) {
        // written over by reading
        for (let i = done; i < end; i++) asked[i - done] = (positions[i] as number) - shift
        const second = channels[c + 1]
        load(view(at.a, length), channels[c] as Float32Array, first)
        own.silenceFaint(at.a, length)
        if (second) {
          load(view(at.b, length), second, first)
          own.silenceFaint(at.b, length)
        }
        own.readPositions(
          slot,
          taps,
          table.phases,
          at.a,
          second ? at.b : 0,
          at.positions,
          end - done,
          at.outA,
          at.outB,
          hair,
        )
        ;(values[c] as Float32Array).set(view(at.outA, end - done), offset + done)
        if (second) (values[c + 1] as Float32Array).set(view(at.outB, end - done), offset + done)
      }
      done = end
    }
  }
}
