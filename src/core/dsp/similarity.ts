import type { AudioBlock } from '../audio/block'
import { complexFft } from './fft'
import { square } from './portable'

/**
 * Find the start in `low…high` (at most `mostLags` apart) whose `length` frames are most like those at `template`, by
 * normalised cross-correlation, all lags at once through one packed Fourier transform and its inverse. The search hears one
 * mix of all channels: their sum, or where these channels cancel, their difference. `score` is the correlation, −1…1; where
 * all is silence no place is better than another: then `wanted` stays, with a score of 0.
 */
export function createSimilaritySearch(source: AudioBlock, length: number, mostLags: number) {
  const regionMost = length + mostLags
  const fft = complexFft(2 ** (32 - Math.clz32(regionMost - 1)))
  const size = fft.size
  const packed = fft.create()
  const spectrum = fft.create()
  const product = fft.create()
  const correlation = fft.create()
  const templateMix = new Float64Array(length)
  const regionMix = new Float64Array(regionMost)
  const differenceMix = new Float64Array(length)

  /** Σ channels, or the alternating one, of the frames from `start` on; what lies outside the source is silent. */
  function mixInto(out: Float64Array, start: number, count: number, alternate: boolean): number {
    out.fill(0, 0, count)
    source.channels.forEach((channel, c) => {
      const sign = alternate && c % 2 === 1 ? -1 : 1
      const from = Math.max(0, -start)
      const to = Math.min(count, channel.length - start)
      for (let i = from; i < to; i++) out[i] = (out[i] as number) + sign * (channel[start + i] as number)
    })
    let energy = 0
    for (let i = 0; i < count; i++) energy += (out[i] as number) * (out[i] as number)
    return energy
  }

  return (template: number, low: number, high: number, wanted: number): { start: number; score: number } => {
    if (template >= low && template <= high) return { start: template, score: 1 }
    const lags = high - low
    const region = length + lags
    let alternate = false
    let loudness = mixInto(templateMix, template, length, false)
    if (source.channels.length > 1) {
      const apart = mixInto(differenceMix, template, length, true)
      alternate = apart > loudness
      if (alternate) {
        templateMix.set(differenceMix)
        loudness = apart
      }
    }
    mixInto(regionMix, low, region, alternate)
    packed.fill(0)
    for (let i = 0; i < region; i++) packed[2 * i] = regionMix[i] as number
    for (let i = 0; i < length; i++) packed[2 * i + 1] = templateMix[i] as number
    fft.forward(spectrum, packed)
    // R = FFT(region), T = FFT(template), both real: conj(T)·R from the packed spectrum, bin by bin
    for (let k = 0; k < size; k++) {
      const m = (size - k) % size
      const pr = spectrum[2 * k] as number
      const pi = spectrum[2 * k + 1] as number
      const qr = spectrum[2 * m] as number
      const qi = spectrum[2 * m + 1] as number
      const rr = 0.5 * (pr + qr)
      const ri = 0.5 * (pi - qi)
      const tr = 0.5 * (pi + qi)
      const ti = 0.5 * (qr - pr)
      product[2 * k] = rr * tr + ri * ti
      product[2 * k + 1] = ri * tr - rr * ti
    }
    fft.inverse(correlation, product)
    let energy = 0
    for (let i = 0; i < length; i++) energy += square(regionMix[i] as number)
    let best = wanted
    let bestScore = 1e-6
    for (let lag = 0; lag <= lags; lag++) {
      const score = (correlation[2 * lag] as number) / Math.sqrt(Math.max(energy, 1e-9))
      if (score > bestScore) {
        bestScore = score
        best = low + lag
      }
      if (lag < lags) energy += square(regionMix[lag + length] as number) - square(regionMix[lag] as number)
    }
    return { start: best, score: bestScore <= 1e-6 ? 0 : bestScore / Math.sqrt(Math.max(loudness, 1e-9)) }
  }
}
