import { nearestPowerOfTwo } from '../dsp/units'
import { columnReader } from '../kernels/columns'
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
  const reader = columnReader(size)
  const column = () => new Float32Array(size / 2 + 1)
  const pair = { left: column(), right: column(), crossRe: column(), crossIm: column() }
  const from = Math.max(2, Math.floor((LOWEST_HZ * size) / sampleRate))
  const to = Math.min(size / 2 - 2, Math.ceil((HIGHEST_HZ * size) / sampleRate))
  const levels = new Float64Array(to + 3)
  const columns: Peak[][] = []
  const count = Math.max(1, Math.ceil(samples.length / hop) - 1)
  let loudest = 0
  for (let n = 0; n < count; n += 2) {
    const start = n * hop - (size >> 2)
    reader.cross(pair, samples, start, samples, start + hop)
    for (const power of n + 1 < count ? [pair.left, pair.right] : [pair.left]) {
      const most = magnitudes(levels, power, from, to)
      loudest = Math.max(loudest, most)
      columns.push(peaksOf(levels, from, to, most, sampleRate / size))
    }
    if (n % 64 === 62) yield { doneFrames: Math.min(samples.length, n * hop), totalFrames: samples.length }
  }
  // what is next to silent has nothing to say
  return columns.map((peaks) => peaks.filter((peak) => peak.level > 0.01 * loudest))
}

// loops of their own: inside a generator they would stay slow

/** Levels of the bins `from … to` and two on either side; returns the highest of those in between. */
function magnitudes(levels: Float64Array, power: Float32Array, from: number, to: number): number {
  let most = 0
  for (let k = from - 2; k <= to + 2; k++) {
    const level = Math.sqrt(power[k] as number)
    levels[k] = level
    if (k >= from && k <= to && level > most) most = level
  }
  return most
}

function peaksOf(levels: Float64Array, from: number, to: number, most: number, hzPerBin: number): Peak[] {
  const peaks: Peak[] = []
  for (let k = from; k <= to && most > 0; k++) {
    const left = levels[k - 1] as number
    const middle = levels[k] as number
    const right = levels[k + 1] as number
    if (middle < LEAST_PEAK * most || middle <= left || middle < right) continue
    const bend = left - 2 * middle + right
    const offset = bend === 0 ? 0 : (0.5 * (left - right)) / bend
    // a lone peak stands out from what lies two bins away; noise does not
    const beside = 0.5 * ((levels[k - 2] as number) + (levels[k + 2] as number))
    if (middle < 2 * beside) continue
    peaks.push({ hz: (k + offset) * hzPerBin, level: middle })
  }
  return peaks
}
