import { splitRealPair } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { hann, type WindowKind, windowOf } from '../dsp/window'
import { fftInside, fftTwin } from './fft'
import type { Kernels } from './wasm'

/** What two real signals have in a column, bins 0 … size/2, `[size / 2 + 1]` each: four times their powers, and A · conj B. */
export interface PairSpectrum {
  readonly left: Float32Array
  readonly right: Float32Array
  readonly crossRe: Float32Array
  readonly crossIm: Float32Array
}

/**
 * Reads Hann-windowed columns of two real signals at a time, each from its own frame on; beyond their ends there is silence. Without a
 * second signal there is silence in its place.
 */
export interface ColumnReader {
  /** Four times the power of both together, `[size / 2 + 1]`. */
  power(out: Float32Array, a: Float32Array, aStart: number, b: Float32Array | undefined, bStart: number): void
  cross(out: PairSpectrum, a: Float32Array, aStart: number, b: Float32Array | undefined, bStart: number): void
  /** The half spectra of both, interleaved, `[size + 2]`. */
  halves(
    out: readonly [Float32Array, Float32Array],
    a: Float32Array,
    aStart: number,
    b: Float32Array | undefined,
    bStart: number,
  ): void
}

export const columnReader = (size: number): ColumnReader => columnKernel(size) ?? columnTwin(size)

/** In double precision, as far as it is handed out: what the kernel is held against. */
export function columnTwin(size: number): ColumnReader {
  const fft = fftTwin(size)
  const window = hann(size)
  const packed = new Float32Array(2 * size)
  const z = new Float32Array(2 * size)
  const read: (...of: [Float32Array, number, Float32Array | undefined, number]) => void = (a, aStart, b, bStart) => {
    packFrames(packed, window, a, aStart, b, bStart)
    fft.forward(z, packed)
  }
  return {
    power(out, a, aStart, b, bStart) {
      read(a, aStart, b, bStart)
      for (let k = 0; k <= size / 2; k++) {
        const m = (size - k) % size
        const pr = z[2 * k] as number
        const pi = z[2 * k + 1] as number
        const qr = z[2 * m] as number
        const qi = z[2 * m + 1] as number
        out[k] = 2 * (pr * pr + pi * pi + qr * qr + qi * qi)
      }
    },
    cross(out, a, aStart, b, bStart) {
      read(a, aStart, b, bStart)
      for (let k = 0; k <= size / 2; k++) {
        const m = (size - k) % size
        const pr = z[2 * k] as number
        const pi = z[2 * k + 1] as number
        const qr = z[2 * m] as number
        const qi = z[2 * m + 1] as number
        const ar = pr + qr
        const ai = pi - qi
        const br = pi + qi
        const bi = qr - pr
        out.left[k] = ar * ar + ai * ai
        out.right[k] = br * br + bi * bi
        out.crossRe[k] = ar * br + ai * bi
        out.crossIm[k] = ai * br - ar * bi
      }
    },
    halves(out, a, aStart, b, bStart) {
      read(a, aStart, b, bStart)
      splitRealPair(z, size, ...out)
    },
  }
}

/** the largest column: longer ones are left to the twin */
const LARGEST = 1 << 15

interface Areas {
  readonly a: number
  readonly b: number
  readonly out: readonly [number, number, number, number]
  readonly halves: readonly [number, number]
}

const areas = new WeakMap<Kernels, Areas | undefined>()
const windows = new WeakMap<Kernels, Map<string, number | undefined>>()

/** The same in single precision (kernels/columns.ts); undefined where there are no kernels, or not for this size. */
export function columnKernel(size: number): ColumnReader | undefined {
  const inside = size <= LARGEST ? fftInside(size) : undefined
  if (!inside) return undefined
  const { own } = inside
  if (!areas.has(own)) areas.set(own, makeAreas(own))
  const shared = areas.get(own)
  const window = layWindow(own, size)
  if (!shared || window === undefined) return undefined
  const { floats } = own
  const a = floats.subarray(shared.a / 4, shared.a / 4 + size)
  const b = floats.subarray(shared.b / 4, shared.b / 4 + size)
  const results = shared.out.map((at) => floats.subarray(at / 4, at / 4 + size / 2 + 1)) as [
    Float32Array,
    Float32Array,
    Float32Array,
    Float32Array,
  ]
  const halves = shared.halves.map((at) => floats.subarray(at / 4, at / 4 + size + 2)) as [Float32Array, Float32Array]
  const read = (left: Float32Array, leftStart: number, right: Float32Array | undefined, rightStart: number) => {
    load(a, left, leftStart)
    if (right) load(b, right, rightStart)
    else b.fill(0)
    own.packPair(shared.a, shared.b, window, inside.from, size)
    inside.turn(1, 0)
  }
  return {
    power(out, left, leftStart, right, rightStart) {
      read(left, leftStart, right, rightStart)
      own.pairPower(inside.to, shared.out[0], size)
      out.set(results[0])
    },
    cross(out, left, leftStart, right, rightStart) {
      read(left, leftStart, right, rightStart)
      own.pairCross(inside.to, ...shared.out, size)
      out.left.set(results[0])
      out.right.set(results[1])
      out.crossRe.set(results[2])
      out.crossIm.set(results[3])
    },
    halves(out, left, leftStart, right, rightStart) {
      read(left, leftStart, right, rightStart)
      own.splitPair(inside.to, ...shared.halves, size)
      out[0].set(halves[0])
      out[1].set(halves[1])
    },
  }
}

function makeAreas(own: Kernels): Areas | undefined {
  // a little more than half, and than all, since bins are stored four at a time
  const lengths = [LARGEST, LARGEST, ...Array<number>(4).fill(LARGEST / 2 + 4), LARGEST + 8, LARGEST + 8]
  const places = lengths.map((length) => own.take(4 * length))
  if (places.some((at) => at === undefined)) return undefined
  const [a, b, p, q, r, s, left, right] = places as [number, number, number, number, number, number, number, number]
  return { a, b, out: [p, q, r, s], halves: [left, right] }
}

/** A window in the kernels' memory, laid once. */
export function layWindow(own: Kernels, size: number, kind: WindowKind = 'hann'): number | undefined {
  const known = windows.get(own) ?? new Map<string, number | undefined>()
  windows.set(own, known)
  const key = `${kind} ${size}`
  if (!known.has(key)) {
    const at = own.take(4 * size)
    if (at !== undefined) own.floats.set(windowOf(kind, size), at / 4)
    known.set(key, at)
  }
  return known.get(key)
}

/** Frames of a signal from `start` on; beyond its ends there is silence. */
export function load(into: Float32Array, samples: Float32Array, start: number) {
  const from = Math.min(into.length, Math.max(0, -start))
  const to = Math.max(from, Math.min(into.length, samples.length - start))
  into.fill(0, 0, from)
  if (to > from) into.set(samples.subarray(start + from, start + to), from)
  into.fill(0, to)
}
