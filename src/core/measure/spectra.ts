import type { AudioBlock } from '../audio/block'
import { columnReader, type PairSpectrum } from '../kernels/columns'

/** One column of a sound, overwritten by the next read. */
export interface Spectrum {
  /** power over all channels, `[size / 2 + 1]` */
  readonly power: Float32Array
  /** running sum of `power`: `below[k]` is all under bin k, `[size / 2 + 2]` */
  readonly below: Float64Array
}

/** As well what the first two channels have each and in common, `[size / 2 + 1]`: their powers, and A · conj B. */
export interface StereoSpectrum extends Spectrum, PairSpectrum {}

/** Reads Hann-windowed columns of `size` frames around any frame; beyond the ends there is silence. */
export function createSpectra({ channels }: AudioBlock, size: number): (centre: number) => Spectrum {
  const columns = columnReader(size)
  const power = new Float32Array(size / 2 + 1)
  const below = new Float64Array(size / 2 + 2)
  const more = channels.length > 2 ? power.slice() : power
  return (centre) => {
    const start = Math.round(centre) - size / 2
    columns.power(power, channels[0] as Float32Array, start, channels[1], start)
    for (let c = 2; c < channels.length; c += 2) {
      columns.power(more, channels[c] as Float32Array, start, channels[c + 1], start)
      addInto(power, more)
    }
    sumUp(power, below)
    return { power, below }
  }
}

/** As `createSpectra`, with what lies between the first two channels. */
export function createStereoSpectra({ channels }: AudioBlock, size: number): (centre: number) => StereoSpectrum {
  const columns = columnReader(size)
  const make = () => new Float32Array(size / 2 + 1)
  const column: StereoSpectrum = {
    power: make(),
    left: make(),
    right: make(),
    crossRe: make(),
    crossIm: make(),
    below: new Float64Array(size / 2 + 2),
  }
  const { power, below } = column
  const more = channels.length > 2 ? make() : power
  return (centre) => {
    const start = Math.round(centre) - size / 2
    columns.cross(column, channels[0] as Float32Array, start, channels[1], start)
    power.set(column.left)
    addInto(power, column.right)
    for (let c = 2; c < channels.length; c += 2) {
      columns.power(more, channels[c] as Float32Array, start, channels[c + 1], start)
      addInto(power, more)
    }
    sumUp(power, below)
    return column
  }
}

function addInto(sum: Float32Array, more: Float32Array) {
  for (let k = 0; k < sum.length; k++) sum[k] = (sum[k] as number) + (more[k] as number)
}

function sumUp(power: Float32Array, below: Float64Array) {
  let sum = 0
  for (let k = 0; k < power.length; k++) {
    below[k] = sum
    sum += power[k] as number
  }
  below[power.length] = sum
}

/** Power between two bins that may be fractional; bin k reaches from k − ½ to k + ½. */
export function powerBetween(below: Float64Array, fromBin: number, toBin: number): number {
  return Math.max(0, belowBin(below, toBin) - belowBin(below, fromBin))
}

function belowBin(below: Float64Array, bin: number): number {
  const at = Math.max(0, Math.min(below.length - 1, bin + 0.5))
  const k = Math.floor(at)
  const low = below[k] as number
  return k + 1 < below.length ? low + (at - k) * ((below[k + 1] as number) - low) : low
}

/** Third octaves of the source, Hz; in the result they lie at the pitch ratio. */
export const BAND_EDGES: readonly number[] = Array.from({ length: 24 }, (_, k) => 80 * 2 ** (k / 3))
export const BAND_COUNT = BAND_EDGES.length - 1

/** a band that holds the lowest partial is at least so strong against the strongest, power */
const STRONG = 0.01

/** The first of some bands that holds something. */
export function firstStrong(bands: readonly number[]): number {
  const most = bands.reduce((a, b) => Math.max(a, b), 0)
  return Math.max(
    0,
    bands.findIndex((value) => value >= STRONG * most),
  )
}
