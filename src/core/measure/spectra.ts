import type { AudioBlock } from '../audio/block'
import { complexFft } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { hann } from '../dsp/window'

/** One column of a sound, `[size / 2 + 1]` each, overwritten by the next read. */
export interface Spectrum {
  /** power over all channels */
  readonly power: Float64Array
  /** of the first two channels: their powers, and what they have in common (A · conj B) */
  readonly left: Float64Array
  readonly right: Float64Array
  readonly crossRe: Float64Array
  readonly crossIm: Float64Array
  /** running sum of `power`: `below[k]` is all under bin k, `[size / 2 + 2]` */
  readonly below: Float64Array
}

/** Reads Hann-windowed columns of `size` frames around any frame; beyond the ends there is silence. */
export function createSpectra(audio: AudioBlock, size: number) {
  const half = size / 2
  const fft = complexFft(size)
  const window = hann(size)
  const packed = fft.create()
  const out = fft.create()
  const make = () => new Float64Array(half + 1)
  const column: Spectrum = {
    power: make(),
    left: make(),
    right: make(),
    crossRe: make(),
    crossIm: make(),
    below: new Float64Array(half + 2),
  }
  const { power, left, right, crossRe, crossIm, below } = column
  return (centre: number): Spectrum => {
    const start = Math.round(centre) - half
    for (let c = 0; c < audio.channels.length; c += 2) {
      packFrames(packed, window, audio.channels[c] as Float32Array, start, audio.channels[c + 1], start)
      fft.forward(out, packed)
      for (let k = 0; k <= half; k++) {
        const m = (size - k) % size
        const pr = out[2 * k] as number
        const pi = out[2 * k + 1] as number
        const qr = out[2 * m] as number
        const qi = out[2 * m + 1] as number
        const ar = pr + qr
        const ai = pi - qi
        const br = pi + qi
        const bi = qr - pr
        const a = ar * ar + ai * ai
        const b = br * br + bi * bi
        if (c === 0) {
          left[k] = a
          right[k] = b
          crossRe[k] = ar * br + ai * bi
          crossIm[k] = ai * br - ar * bi
          power[k] = a + b
        } else power[k] = (power[k] as number) + a + b
      }
    }
    let sum = 0
    for (let k = 0; k <= half; k++) {
      below[k] = sum
      sum += power[k] as number
    }
    below[half + 1] = sum
    return column
  }
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
