import { type Channels, silence } from '../audio/block'
import { complexFft, joinRealPair, splitRealPair } from '../dsp/fft'
import type { SegmentMaker } from '../dsp/overlapAdd'
import { log2, power, square } from '../dsp/portable'
import { dbToGain, nearestPowerOfTwo } from '../dsp/units'
import { hann } from '../dsp/window'
import type { Imprint } from './order'
import { readRound, type Side } from './side'

const LOWEST_HZ = 80
const HIGHEST_HZ = 12_000
const OVERLAP = 4

/** Which band each bin belongs to: even on a log axis between the lowest and the highest edge. */
function bandsOfBins(length: number, sampleRate: number, bands: number): Int32Array {
  const span = log2(HIGHEST_HZ / LOWEST_HZ)
  return Int32Array.from({ length: length / 2 + 1 }, (_, k) => {
    const hz = (k * sampleRate) / length
    if (hz <= LOWEST_HZ) return 0
    return Math.max(0, Math.min(bands - 1, Math.floor((bands * log2(hz / LOWEST_HZ)) / span)))
  })
}

/** Columns of one side, two channels a transform. */
function columnsOf(side: Side, length: number, round: boolean) {
  const fft = complexFft(length)
  const window = hann(length)
  const block = silence(side.channelCount, length)
  const packed = fft.create()
  const bins = fft.create()
  const spectra = block.map(() => new Float32Array(length + 2))
  const spare = new Float32Array(length + 2)
  let known = Number.NaN
  return (start: number): readonly Float32Array[] => {
    if (known === start) return spectra
    known = start
    if (round) readRound(side, start, block)
    else side.voice.read(start, block)
    for (let c = 0; c < block.length; c += 2) {
      const [a, b] = [block[c] as Float32Array, block[c + 1]]
      for (let i = 0; i < length; i++) {
        packed[2 * i] = (window[i] as number) * (a[i] as number)
        packed[2 * i + 1] = b ? (window[i] as number) * (b[i] as number) : 0
      }
      fft.forward(bins, packed)
      splitRealPair(bins, length, spectra[c] as Float32Array, spectra[c + 1] ?? spare)
    }
    return spectra
  }
}

const powersInto = (out: Float64Array, spectra: readonly Float32Array[], bandOf: Int32Array) => {
  out.fill(0)
  for (const spectrum of spectra)
    bandOf.forEach((band, k) => {
      out[band] = (out[band] as number) + square(spectrum[2 * k] as number) + square(spectrum[2 * k + 1] as number)
    })
  for (let b = 0; b < out.length; b++) out[b] = (out[b] as number) / spectra.length
}

/** what is so far below the loudest of a band is taken as silence, dB */
const FLOOR_DB = 80
const MOST_GAIN_DB = 40

/** The body's own course in each band is evened out, that of the rhythm laid on it. */
export function byBands(body: Side, rhythm: Side, { bands, smoothingMs, amountPercent }: Imprint): SegmentMaker {
  const { sampleRate, channelCount } = body
  const length = nearestPowerOfTwo(Math.max(0.01, smoothingMs / 1000) * sampleRate, 128)
  const hop = length / OVERLAP
  const bandOf = bandsOfBins(length, sampleRate, bands)
  const bodyAt = columnsOf(body, length, false)
  const rhythmAt = columnsOf(rhythm, length, true)
  const lay = layer(length, channelCount)
  const [own, other] = [new Float64Array(bands), new Float64Array(bands)]
  const share = amountPercent / 100
  const loudest = new Float64Array(bands)
  const gains = new Float64Array(length / 2 + 1)
  const bandGains = new Float64Array(bands)
  // the loudest of each band, so that silence is told from softness whatever the level
  for (let at = 0; at < rhythm.frames; at += length) {
    powersInto(other, rhythmAt(at - length / 2), bandOf)
    for (let b = 0; b < bands; b++) loudest[b] = Math.max(loudest[b] as number, other[b] as number)
  }
  const all = Math.max(1e-20, ...loudest)
  const floor = square(dbToGain(-FLOOR_DB))
  const most = dbToGain(MOST_GAIN_DB)
  return {
    channelCount,
    hop,
    length,
    lead: -length / 2,
    reset() {},
    addSegment(k, sum) {
      const start = k * hop - length / 2
      const spectra = bodyAt(start)
      powersInto(own, spectra, bandOf)
      powersInto(other, rhythmAt(start), bandOf)
      for (let b = 0; b < bands; b++) {
        const wanted = Math.sqrt((other[b] as number) / all)
        const had = Math.sqrt((own[b] as number) + floor)
        const gain = Math.min(most, wanted / had)
        bandGains[b] = share === 1 ? gain : gain > 0 ? power(gain, share) : 0
      }
      smoothGains(gains, bandGains, bandOf)
      lay(spectra, gains, sum)
    },
  }
}

/** Gains of bins from those of bands, straight between the middles of neighbours. */
function smoothGains(gains: Float64Array, bandGains: Float64Array, bandOf: Int32Array) {
  let first = 0
  const middles: number[] = []
  for (let k = 1; k <= bandOf.length; k++) {
    if (k < bandOf.length && bandOf[k] === bandOf[first]) continue
    middles[bandOf[first] as number] = (first + k - 1) / 2
    first = k
  }
  bandOf.forEach((band, k) => {
    const middle = middles[band] as number
    const next = k < middle ? band - 1 : band + 1
    const away = middles[next]
    const own = bandGains[band] as number
    if (away === undefined) {
      gains[k] = own
      return
    }
    const share = Math.min(1, Math.abs(k - middle) / Math.max(1e-9, Math.abs(away - middle)))
    gains[k] = own + share * ((bandGains[next] as number) - own)
  })
}

/** Lays columns under gains back, with a window again so that steps between them are not heard. */
function layer(length: number, channelCount: number) {
  const fft = complexFft(length)
  const window = hann(length)
  const shaped = Array.from({ length: 2 }, () => new Float32Array(length + 2))
  const packed = fft.create()
  const bins = fft.create()
  // two Hann windows at a quarter hop add up to 1.5
  const scale = 1 / 1.5
  return (spectra: readonly Float32Array[], gains: Float64Array, sum: Channels) => {
    for (let c = 0; c < channelCount; c += 2) {
      for (const n of [0, 1]) {
        const own = shaped[n] as Float32Array
        const from = spectra[c + n]
        if (!from) own.fill(0)
        else
          gains.forEach((gain, k) => {
            own[2 * k] = gain * (from[2 * k] as number)
            own[2 * k + 1] = gain * (from[2 * k + 1] as number)
          })
      }
      joinRealPair(shaped[0] as Float32Array, shaped[1] as Float32Array, length, bins)
      fft.inverse(packed, bins)
      for (const n of [0, 1]) {
        const out = sum[c + n]
        if (!out) continue
        for (let i = 0; i < length; i++)
          out[i] = (out[i] as number) + scale * (window[i] as number) * (packed[2 * i + n] as number)
      }
    }
  }
}
