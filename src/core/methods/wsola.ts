import type { AudioBlock } from '../audio/block'
import { frameCount } from '../audio/block'
import { complexFft } from '../dsp/fft'
import { hann } from '../dsp/window'
import { asOutput } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import { defineMethod } from './method'
import { overlapAddVoice, type SegmentMaker } from './overlapAdd'
import { pitchByResampling } from './pitchByResampling'
import { number } from './settings'

/**
 * Overlap-add of source segments, each taken from where the source is most like the natural continuation of the segment
 * before it, within a search range around its mapped place. One decision serves all channels.
 * Source  Verhelst & Roelands 1993, "An overlap-add technique based on waveform similarity (WSOLA)".
 */
export const wsola = defineMethod({
  id: 'wsola',
  label: 'Waveform match',
  family: 'transient',
  use: 'Speech, single lines and light work: keeps the waveform, moves its pieces.',
  needs: [],
  exactSeek: false,
  tiesPitchToSpeed: false,
  timesRealTime: 60,
  settings: {
    segmentMs: number({
      label: 'Segment',
      unit: 'ms',
      min: 8,
      max: 120,
      default: 32,
      scale: 'log',
      trades: 'Longer holds low notes together; shorter keeps hits from doubling.',
    }),
    searchMs: number({
      label: 'Search',
      unit: 'ms',
      min: 1,
      max: 50,
      default: 14,
      scale: 'log',
      trades: 'Wider finds smoother joins on low notes; narrower keeps timing tighter.',
    }),
  },
  latencyFrames: (settings, sampleRate) => Math.ceil(((settings.segmentMs + settings.searchMs) / 1000) * sampleRate),
  open: ({ source, map, pitch, settings }) =>
    pitchByResampling(source.channels.length, map, pitch, (inner) =>
      overlapAddVoice(createWsola(source, inner, settings.segmentMs, settings.searchMs)),
    ),
})

function createWsola(source: AudioBlock, map: TimeMap, segmentMs: number, searchMs: number): SegmentMaker {
  const hop = Math.max(8, Math.round((segmentMs / 2000) * source.sampleRate))
  const length = 2 * hop
  const reach = Math.max(1, Math.round((searchMs / 1000) * source.sampleRate))
  const window = hann(length)
  const last = Math.max(0, frameCount(source) - length)
  const search = createSimilaritySearch(source, length, reach)
  let previous: number | undefined
  let previousSegment = Number.NaN

  return {
    channelCount: source.channels.length,
    hop,
    length,
    lead: -hop,
    reset() {
      previous = undefined
    },
    addSegment(k, sum) {
      const mapped = Math.round(map.sourceAt(asOutput(k * hop))) - hop
      // segments stay inside the source, but for the half one that leads in: past the ends there is nothing to match
      const wanted = k <= 0 ? mapped : Math.min(last, Math.max(0, mapped))
      let start = wanted
      if (previous !== undefined && previousSegment === k - 1) {
        const high = k <= 0 ? wanted + reach : Math.min(last, wanted + reach)
        const low = k <= 0 ? wanted - reach : Math.max(0, Math.min(high, wanted - reach))
        start = search(previous + hop, low, high, wanted)
      }
      previous = start
      previousSegment = k
      for (let c = 0; c < sum.length; c++) {
        const from = source.channels[c] as Float32Array
        const into = sum[c] as Float32Array
        const first = Math.max(0, -start)
        const end = Math.min(length, from.length - start)
        for (let i = first; i < end; i++) {
          into[i] = (into[i] as number) + (window[i] as number) * (from[start + i] as number)
        }
      }
    },
  }
}

/**
 * Find the start in `low…high` whose segment is most like the one at `template`, by normalised cross-correlation over
 * the full segment, all lags at once through one packed Fourier transform and its inverse. The search hears one mix of all
 * channels: their sum, or where these channels cancel, their difference.
 */
function createSimilaritySearch(source: AudioBlock, length: number, reach: number) {
  const regionMost = length + 2 * reach
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
    for (let i = 0; i < count; i++) energy += (out[i] as number) ** 2
    return energy
  }

  return (template: number, low: number, high: number, wanted: number): number => {
    if (template >= low && template <= high) return template
    const lags = high - low
    const region = length + lags
    let alternate = false
    const loudness = mixInto(templateMix, template, length, false)
    if (source.channels.length > 1) {
      alternate = mixInto(differenceMix, template, length, true) > loudness
      if (alternate) templateMix.set(differenceMix)
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
    for (let i = 0; i < length; i++) energy += (regionMix[i] as number) ** 2
    // where all is silence no place is better than another: then the mapped place stays
    let best = wanted
    let bestScore = 1e-6
    for (let lag = 0; lag <= lags; lag++) {
      const score = (correlation[2 * lag] as number) / Math.sqrt(Math.max(energy, 1e-9))
      if (score > bestScore) {
        bestScore = score
        best = low + lag
      }
      if (lag < lags) energy += (regionMix[lag + length] as number) ** 2 - (regionMix[lag] as number) ** 2
    }
    return best
  }
}
