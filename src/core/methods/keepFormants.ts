import { createTrueEnvelope } from '../analysis/trueEnvelope'
import type { AudioBlock } from '../audio/block'
import { silence } from '../audio/block'
import { complexFft, joinRealPair, splitRealPair } from '../dsp/fft'
import { exp } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { hann } from '../dsp/window'
import { asOutput } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import type { Voice } from './method'
import { overlapAddVoice } from './overlapAdd'

const WINDOW_SECONDS = 0.043
const OVERLAP = 4
/** the most that putting the envelope back may raise a moment over the level the source had there (6 dB) */
const MAX_POWER_RATIO = 4
/** an envelope's deep valleys are not known well enough to lift what lies in them further than this */
const MAX_GAIN_LOG = 3.453877639491069

/**
 * Put the spectral envelope of the source back over a result whose pitch was changed by `ratioAt(output)`: at each
 * moment the result is filtered by the source's envelope at a frequency over its envelope at the frequency that the
 * shift brought there. The same filter serves all channels.
 * Source  Röbel & Rodet 2005 for the envelope and for dividing it out and putting it back.
 */
export function keepFormants(
  source: AudioBlock,
  map: TimeMap,
  ratioAt: (outputFrame: number) => number,
  inner: Voice,
): Voice {
  const length = nearestPowerOfTwo(WINDOW_SECONDS * source.sampleRate, 64)
  const bins = length / 2
  const hop = length / OVERLAP
  const channelCount = source.channels.length
  const fft = complexFft(length)
  const envelopeOf = createTrueEnvelope(length, source.sampleRate)
  const window = hann(length)
  const scale = 1 / (0.375 * OVERLAP)
  const packed = fft.create()
  const spectrum = fft.create()
  // one more than the channels where they are odd: transforms carry two at once
  const spectra = Array.from({ length: 2 * Math.ceil(channelCount / 2) }, () => new Float64Array(length + 2))
  const magnitudes = new Float64Array(bins + 1)
  const gains = new Float64Array(bins + 1)
  const nothing = new Float32Array(length)
  const held = silence(channelCount, length)
  const newest = held.map((channel) => channel.subarray(length - hop))
  let heldSegment = Number.NaN
  let sourcePower = 0

  function findGains(centre: number, ratio: number) {
    const start = centre - bins
    magnitudes.fill(0)
    for (const channel of source.channels) {
      for (let i = 0; i < length; i++) {
        packed[2 * i] = (window[i] as number) * (channel[start + i] ?? 0)
        packed[2 * i + 1] = 0
      }
      fft.forward(spectrum, packed)
      for (let k = 0; k <= bins; k++) {
        const re = spectrum[2 * k] as number
        const im = spectrum[2 * k + 1] as number
        magnitudes[k] = (magnitudes[k] as number) + re * re + im * im
      }
    }
    sourcePower = 0
    for (let k = 0; k <= bins; k++) {
      sourcePower += magnitudes[k] as number
      magnitudes[k] = Math.sqrt(magnitudes[k] as number)
    }
    const envelope = envelopeOf(magnitudes)
    for (let k = 0; k <= bins; k++) {
      const cameFrom = k / ratio
      if (cameFrom >= bins) {
        gains[k] = 1
        continue
      }
      const i = Math.floor(cameFrom)
      const low = envelope[i] as number
      const there = low + (cameFrom - i) * ((envelope[i + 1] as number) - low)
      const change = (envelope[k] as number) - there
      gains[k] = exp(Math.max(-MAX_GAIN_LOG, Math.min(MAX_GAIN_LOG, change)))
    }
  }

  /** Apply the gains; returns the power that is left. */
  function filter(spectrumHalf: Float64Array): number {
    let power = 0
    for (let k = 0; k <= bins; k++) {
      const gain = gains[k] as number
      const re = (spectrumHalf[2 * k] as number) * gain
      const im = (spectrumHalf[2 * k + 1] as number) * gain
      spectrumHalf[2 * k] = re
      spectrumHalf[2 * k + 1] = im
      power += re * re + im * im
    }
    return power
  }

  return overlapAddVoice({
    channelCount,
    hop,
    length,
    lead: -bins,
    reset() {
      heldSegment = Number.NaN
    },
    addSegment(k, sum) {
      const centre = k * hop
      if (heldSegment === k - 1) {
        for (const channel of held) channel.copyWithin(0, hop)
        inner.read(centre + bins - hop, newest)
      } else inner.read(centre - bins, held)
      heldSegment = k
      findGains(Math.round(map.sourceAt(asOutput(centre))), ratioAt(centre))
      let power = 0
      for (let c = 0; c < channelCount; c += 2) {
        const first = held[c] as Float32Array
        const second = held[c + 1] ?? nothing
        for (let i = 0; i < length; i++) {
          packed[2 * i] = (window[i] as number) * (first[i] as number)
          packed[2 * i + 1] = (window[i] as number) * (second[i] as number)
        }
        fft.forward(spectrum, packed)
        splitRealPair(spectrum, length, spectra[c] as Float64Array, spectra[c + 1] as Float64Array)
        power += filter(spectra[c] as Float64Array) + filter(spectra[c + 1] as Float64Array)
      }
      const level = scale * Math.min(1, Math.sqrt((MAX_POWER_RATIO * sourcePower) / Math.max(power, 1e-30)))
      for (let c = 0; c < channelCount; c += 2) {
        joinRealPair(spectra[c] as Float64Array, spectra[c + 1] as Float64Array, length, packed)
        fft.inverse(spectrum, packed)
        for (let part = 0; part < 2 && c + part < channelCount; part++) {
          const into = sum[c + part] as Float32Array
          for (let i = 0; i < length; i++) {
            into[i] = (into[i] as number) + level * (window[i] as number) * (spectrum[2 * i + part] as number)
          }
        }
      }
    },
  })
}
