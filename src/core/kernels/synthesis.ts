import { joinRealPair } from '../dsp/fft'
import { addFrame } from '../dsp/frames'
import { type WindowKind, windowOf } from '../dsp/window'
import { layWindow } from './columns'
import { fftInside, fftTwin } from './fft'
import { type Kernels, kernels } from './wasm'

/**
 * Lays columns: half spectra `[channel][length + 2]` back to samples, windowed, scaled and added onto the first `length` frames of
 * `sum`, two channels in one transform. A column may have one channel more than the sum, for lack of a pair: that one is not laid.
 */
export type Synthesis = (column: readonly Float32Array[], sum: readonly Float32Array[], scale: number) => void

type Make<Result> = (length: number, window: WindowKind) => Result

export const createSynthesis: Make<Synthesis> = (...of) => synthesisKernel(...of) ?? synthesisTwin(...of)

/** With transforms in double precision: the definition. */
export const synthesisTwin: Make<Synthesis> = (length, kind) => {
  const fft = fftTwin(length)
  const window = windowOf(kind, length)
  const packed = new Float32Array(2 * length)
  const spectrum = new Float32Array(2 * length)
  const nothing = new Float32Array(length + 2)
  return (column, sum, scale) => {
    for (let c = 0; c < sum.length; c += 2) {
      joinRealPair(column[c] as Float32Array, column[c + 1] ?? nothing, length, packed)
      fft.inverse(spectrum, packed)
      addFrame(sum[c] as Float32Array, window, scale, spectrum, 0)
      if (sum[c + 1]) addFrame(sum[c + 1] as Float32Array, window, scale, spectrum, 1)
    }
  }
}

/** longer columns are left to the twin */
const LARGEST = 1 << 15

interface Areas {
  readonly left: number
  readonly right: number
  readonly a: number
  readonly b: number
}

const areas = new WeakMap<Kernels, Areas | undefined>()

/** Lays two half spectra that lie in the kernels' memory already, at these addresses. */
type LayInside = (
  left: number,
  right: number,
  first: Float32Array,
  second: Float32Array | undefined,
  scale: number,
) => void

/** For kernels whose columns lie inside; undefined as `synthesisKernel`. */
export const synthesisInside: Make<LayInside | undefined> = (length, kind) => {
  const inside = length <= LARGEST ? fftInside(length) : undefined
  if (!inside) return undefined
  const { own } = inside
  if (!areas.has(own)) areas.set(own, makeAreas(own))
  const at = areas.get(own)
  const window = layWindow(own, length, kind)
  if (!at || window === undefined) return undefined
  const view = (place: number, frames: number) => own.floats.subarray(place / 4, place / 4 + frames)
  const a = view(at.a, length)
  const b = view(at.b, length)
  return (left, right, first, second, scale) => {
    own.joinPair(left, right, inside.from, length)
    inside.turn(1 / length, 1)
    a.set(first.length === length ? first : first.subarray(0, length))
    if (second) b.set(second.length === length ? second : second.subarray(0, length))
    own.layPair(inside.to, window, at.a, at.b, length, scale)
    first.set(a)
    second?.set(b)
  }
}

/** The same in single precision (kernels/vocoder.ts); undefined where there are no kernels, or not for this size. */
export const synthesisKernel: Make<Synthesis | undefined> = (length, kind) => {
  const layInside = synthesisInside(length, kind)
  const own = kernels()
  const at = own && areas.get(own)
  if (!layInside || !own || !at) return undefined
  const left = own.floats.subarray(at.left / 4, at.left / 4 + length + 2)
  const right = own.floats.subarray(at.right / 4, at.right / 4 + length + 2)
  return (column, sum, scale) => {
    for (let c = 0; c < sum.length; c += 2) {
      left.set(column[c] as Float32Array)
      const pair = column[c + 1]
      if (pair) right.set(pair)
      else right.fill(0)
      layInside(at.left, at.right, sum[c] as Float32Array, sum[c + 1], scale)
    }
  }
}

function makeAreas(own: Kernels): Areas | undefined {
  const column = 4 * (LARGEST + 8)
  const [left, right, a, b] = [column, column, 4 * LARGEST, 4 * LARGEST].map((bytes) => own.take(bytes))
  return left !== undefined && right !== undefined && a !== undefined && b !== undefined
    ? { left, right, a, b }
    : undefined
}
