import { complexFft } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { square } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { hann } from '../dsp/window'
import type { Task } from '../task'

export interface Peak {
  readonly hz: number
  /** magnitude, any reference */
  readonly level: number
}

const LOWEST_HZ = 50
const HIGHEST_HZ = 2400
/** peaks down to this share of the strongest of their column are notes */
const LEAST_PEAK = 0.02

/**
 * The peaks of a sound's spectra, column by column, a quarter of a window apart; those of next to silent columns are left out.
 * Units  `samples` at `sampleRate` Hz, mono; what lies between 50 Hz and 2.4 kHz is looked at.
 */
export function* spectralPeaks(samples: Float32Array, sampleRate: number, windowSeconds: number): Task<Peak[][]> {
  const size = nearestPowerOfTwo(windowSeconds * sampleRate, 256)
  const hop = size >> 2
  const fft = complexFft(size)
  const window = hann(size)
  const packed = fft.create()
  const spectrum = fft.create()
  const from = Math.max(2, Math.floor((LOWEST_HZ * size) / sampleRate))
  const to = Math.min(size / 2 - 2, Math.ceil((HIGHEST_HZ * size) / sampleRate))
  const levels = [new Float64Array(to + 2), new Float64Array(to + 2)] as const
  const columns: Peak[][] = []
  const count = Math.max(1, Math.ceil(samples.length / hop) - 1)
  let loudest = 0
  for (let n = 0; n < count; n += 2) {
    const start = n * hop - (size >> 2)
    packFrames(packed, window, samples, start, samples, start + hop)
    fft.forward(spectrum, packed)
    for (let k = from - 1; k <= to + 1; k++) {
      const m = size - k
      const pr = spectrum[2 * k] as number
      const pi = spectrum[2 * k + 1] as number
      const qr = spectrum[2 * m] as number
      const qi = spectrum[2 * m + 1] as number
      levels[0][k] = Math.sqrt(square(pr + qr) + square(pi - qi))
      levels[1][k] = Math.sqrt(square(pi + qi) + square(qr - pr))
    }
    for (const level of n + 1 < count ? levels : [levels[0]]) {
      const peaks: Peak[] = []
      let most = 0
      for (let k = from; k <= to; k++) most = Math.max(most, level[k] as number)
      loudest = Math.max(loudest, most)
      for (let k = from; k <= to && most > 0; k++) {
        const left = level[k - 1] as number
        const middle = level[k] as number
        const right = level[k + 1] as number
        if (middle < LEAST_PEAK * most || middle <= left || middle < right) continue
        const bend = left - 2 * middle + right
        const offset = bend === 0 ? 0 : (0.5 * (left - right)) / bend
        // a lone peak stands out from what lies two bins away; noise does not
        const beside = 0.5 * ((level[k - 2] as number) + (level[k + 2] as number))
        if (middle < 2 * beside) continue
        peaks.push({ hz: ((k + offset) * sampleRate) / size, level: middle })
      }
      columns.push(peaks)
    }
    if (n % 64 === 62) yield { doneFrames: Math.min(samples.length, n * hop), totalFrames: samples.length }
  }
  // what is next to silent has nothing to say
  return columns.map((peaks) => peaks.filter((peak) => peak.level > 0.01 * loudest))
}
