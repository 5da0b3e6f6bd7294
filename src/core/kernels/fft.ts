import FFT from 'fft.js'
import { cosTurns, sinTurns } from '../dsp/portable'
import { type Kernels, kernels } from './wasm'

/** A transform of interleaved numbers; `out` and `input` are different arrays, each `[2 × size]`. */
export interface Transform {
  forward(out: Float32Array, input: Float32Array): void
  /** divides by the size */
  inverse(out: Float32Array, input: Float32Array): void
}

/** sizes that the kernel takes; smaller ones are not worth the way there */
const SMALLEST = 16
const LARGEST = 1 << 17

/** The fastest transform of a size that this engine has. */
export const transformOf = (size: number): Transform => fftKernel(size) ?? fftTwin(size)

/** The transform in double precision: what the kernel is held against, and what does its work where there is none. */
export function fftTwin(size: number): Transform {
  const kernel = new FFT(size)
  // the library asks the engine for its factors, and engines differ in the last bit: it gets ours
  const { table } = kernel as unknown as { table: number[] }
  for (let i = 0; i < table.length; i += 2) {
    table[i] = cosTurns(i / (2 * size))
    table[i + 1] = -sinTurns(i / (2 * size))
  }
  // plain arrays, on which it is fastest
  const from = new Array<number>(2 * size).fill(0)
  const to = new Array<number>(2 * size).fill(0)
  const load = (input: Float32Array) => {
    for (let i = 0; i < 2 * size; i++) from[i] = input[i] as number
  }
  const store = (out: Float32Array) => {
    for (let i = 0; i < 2 * size; i++) out[i] = to[i] as number
  }
  return {
    forward(out, input) {
      load(input)
      kernel.transform(to, from)
      store(out)
    },
    inverse(out, input) {
      load(input)
      kernel.inverseTransform(to, from)
      store(out)
    },
  }
}

/** Places in the kernels' memory that all sizes share: a transform's input and its output. What is in them lasts until the next. */
interface Areas {
  readonly from: number
  readonly to: number
  readonly work: number
}

const areas = new WeakMap<Kernels, Areas | undefined>()
const factorsAt = new WeakMap<Kernels, Map<number, number | undefined>>()

function areasOf(own: Kernels): Areas | undefined {
  if (!areas.has(own)) {
    const from = own.take(8 * LARGEST)
    const to = own.take(8 * LARGEST)
    const work = own.take(16 * LARGEST)
    areas.set(own, from !== undefined && to !== undefined && work !== undefined ? { from, to, work } : undefined)
  }
  return areas.get(own)
}

/** A size's factors, laid once. */
function layFactors(own: Kernels, size: number): number | undefined {
  const known = factorsAt.get(own) ?? new Map<number, number | undefined>()
  factorsAt.set(own, known)
  if (!known.has(size)) {
    const factors = twiddles(size)
    const at = own.take(4 * factors.length)
    if (at !== undefined) own.floats.set(factors, at / 4)
    known.set(size, at)
  }
  return known.get(size)
}

/** The transform inside the kernels' memory, for other kernels to feed and to read; undefined as `fftKernel`. */
export function fftInside(size: number) {
  const own = kernels()
  if (!own || size < SMALLEST || size > LARGEST) return undefined
  const shared = areasOf(own)
  const at = layFactors(own, size)
  if (!shared || at === undefined) return undefined
  const { from, to, work } = shared
  return {
    own,
    from,
    to,
    turn: (scale: number, inverse: 0 | 1) => own.fft(from, to, work, at, size, scale, inverse),
  }
}

/**
 * The transform in single precision, four numbers at a time (kernels/fft.ts); undefined where there are no kernels, or not for
 * this size. Its error is about 1.5e-7 of the loudest, whatever the size; numbers under 1e-28 count as 0.
 */
export function fftKernel(size: number): Transform | undefined {
  const inside = fftInside(size)
  if (!inside) return undefined
  const { floats } = inside.own
  const input = floats.subarray(inside.from / 4, inside.from / 4 + 2 * size)
  const output = floats.subarray(inside.to / 4, inside.to / 4 + 2 * size)
  const turn = (out: Float32Array, of: Float32Array, scale: number, inverse: 0 | 1) => {
    input.set(of)
    inside.turn(scale, inverse)
    out.set(output)
  }
  return {
    forward: (out, of) => turn(out, of, 1, 0),
    inverse: (out, of) => turn(out, of, 1 / size, 1),
  }
}

/** Factors w¹ w² w³ in the order in which the passes take them: in fours for the first, singly for the others. */
function twiddles(size: number): Float32Array {
  const factors: number[] = []
  const factor = (turns: number) => [cosTurns(turns), -sinTurns(turns)] as const
  for (let p = 0; p < size / 4; p += 4) {
    for (const power of [1, 2, 3]) {
      for (const part of [0, 1] as const) {
        for (let lane = 0; lane < 4; lane++) factors.push(factor(((p + lane) * power) / size)[part])
      }
    }
  }
  for (let left = size / 4; left > 4; left /= 4) {
    for (let p = 0; p < left / 4; p++) for (const power of [1, 2, 3]) factors.push(...factor((p * power) / left))
  }
  return Float32Array.from(factors)
}
