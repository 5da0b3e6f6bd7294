import type { AudioBlock } from '../audio/block'
import { complexFft, joinRealPair, splitRealPair } from '../dsp/fft'
import { nearestPowerOfTwo } from '../dsp/units'
import { hann } from '../dsp/window'
import { asOutput } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import { defineMethod } from './method'
import { overlapAddVoice, type SegmentMaker } from './overlapAdd'
import { pitchByResampling } from './pitchByResampling'
import { choice, number } from './settings'

/**
 * Short-time spectra with phases locked around every spectral peak. For each output column the source is analysed at the
 * mapped place and one hop before it; a peak's phase goes on from the last output column by what it turned in that hop,
 * and its neighbours turn with it. A peak gets one rotation for all channels, so that the image holds. Where the last
 * column had nothing, the phases of the source are taken as they are.
 * Source  Laroche & Dolson 1999, "Improved phase vocoder time-scale modification of audio" (identity phase locking).
 */
export const vocoder = defineMethod({
  id: 'vocoder',
  label: 'Locked vocoder',
  family: 'tonal',
  use: 'Chords, pads and tonal mixes: smooth at any length; softens hits.',
  needs: [],
  exactSeek: false,
  tiesPitchToSpeed: false,
  timesRealTime: 20,
  settings: {
    windowMs: number({
      label: 'Window',
      unit: 'ms',
      min: 10,
      max: 400,
      default: 85,
      scale: 'log',
      trades: 'Longer parts close partials; shorter keeps hits sharper.',
    }),
    overlap: choice({
      label: 'Overlap',
      options: [
        { value: '4', label: '4 ×' },
        { value: '8', label: '8 ×' },
      ],
      default: '4',
      trades: 'More overlap follows glides better and costs twice as much.',
    }),
  },
  latencyFrames: (settings, sampleRate) => windowFrames(settings.windowMs, sampleRate),
  open: ({ source, map, pitch, settings }) =>
    pitchByResampling(source.channels.length, map, pitch, (inner) =>
      overlapAddVoice(
        createVocoder(source, inner, windowFrames(settings.windowMs, source.sampleRate), Number(settings.overlap)),
      ),
    ),
})

function windowFrames(windowMs: number, sampleRate: number): number {
  return nearestPowerOfTwo((windowMs / 1000) * sampleRate, 32)
}

function createVocoder(source: AudioBlock, map: TimeMap, length: number, overlap: number): SegmentMaker {
  const hop = length / overlap
  const bins = length / 2
  const window = hann(length)
  // Σ hann² over all shifts by `hop` is 3/8 · overlap: what two windows leave is undone by it
  const scale = 1 / (0.375 * overlap)
  const fft = complexFft(length)
  const packed = fft.create()
  const spectrum = fft.create()
  const columns = () => source.channels.map(() => new Float64Array(length + 2))
  const now = columns()
  const before = columns()
  const shaped = columns()
  const nothing = new Float64Array(length + 2)
  const power = new Float64Array(bins + 1)
  const peaks = new Int32Array(bins + 1)
  let previousSegment = Number.NaN

  function analyse(centre: number) {
    const start = centre - bins
    source.channels.forEach((channel, c) => {
      for (let i = 0; i < length; i++) {
        const w = window[i] as number
        packed[2 * i] = w * (channel[start + i] ?? 0)
        packed[2 * i + 1] = w * (channel[start + i - hop] ?? 0)
      }
      fft.forward(spectrum, packed)
      splitRealPair(spectrum, length, now[c] as Float64Array, before[c] as Float64Array)
    })
  }

  function findPeaks(): number {
    power.fill(0)
    for (const column of now) {
      for (let k = 0; k <= bins; k++) {
        const re = column[2 * k] as number
        const im = column[2 * k + 1] as number
        power[k] = (power[k] as number) + re * re + im * im
      }
    }
    let count = 0
    for (let k = 0; k <= bins; k++) {
      const level = power[k] as number
      if (
        level > 0 &&
        level > (power[k - 1] ?? 0) &&
        level > (power[k - 2] ?? 0) &&
        level >= (power[k + 1] ?? 0) &&
        level >= (power[k + 2] ?? 0)
      ) {
        peaks[count++] = k
      }
    }
    return count
  }

  /** Turn each peak and its region so that the peak goes on from the last output column. */
  function lockPhases() {
    const count = findPeaks()
    let from = 0
    for (let n = 0; n < count; n++) {
      const peak = peaks[n] as number
      const to = n + 1 < count ? Math.floor((peak + (peaks[n + 1] as number)) / 2) + 1 : bins + 1
      let re = 0
      let im = 0
      for (let c = 0; c < shaped.length; c++) {
        const last = shaped[c] as Float64Array
        const old = before[c] as Float64Array
        const lr = last[2 * peak] as number
        const li = last[2 * peak + 1] as number
        const or = old[2 * peak] as number
        const oi = old[2 * peak + 1] as number
        re += lr * or + li * oi
        im += li * or - lr * oi
      }
      const size = Math.sqrt(re * re + im * im)
      if (size > 1e-20) {
        re /= size
        im /= size
      } else {
        re = 1
        im = 0
      }
      for (let c = 0; c < shaped.length; c++) {
        const out = shaped[c] as Float64Array
        const column = now[c] as Float64Array
        for (let k = from; k < to; k++) {
          const xr = column[2 * k] as number
          const xi = column[2 * k + 1] as number
          out[2 * k] = xr * re - xi * im
          out[2 * k + 1] = xr * im + xi * re
        }
      }
      from = to
    }
    if (count === 0) for (const column of shaped) column.fill(0)
  }

  return {
    channelCount: source.channels.length,
    hop,
    length,
    lead: -bins,
    reset() {
      previousSegment = Number.NaN
    },
    addSegment(k, sum) {
      analyse(Math.round(map.sourceAt(asOutput(k * hop))))
      if (previousSegment === k - 1) lockPhases()
      else for (let c = 0; c < shaped.length; c++) shaped[c]?.set(now[c] as Float64Array)
      previousSegment = k
      for (let c = 0; c < sum.length; c += 2) {
        const second = c + 1 < sum.length
        joinRealPair(shaped[c] as Float64Array, second ? (shaped[c + 1] as Float64Array) : nothing, length, packed)
        fft.inverse(spectrum, packed)
        addWindowed(sum[c] as Float32Array, 0)
        if (second) addWindowed(sum[c + 1] as Float32Array, 1)
      }
    },
  }

  function addWindowed(into: Float32Array, part: 0 | 1) {
    for (let i = 0; i < length; i++) {
      into[i] = (into[i] as number) + scale * (window[i] as number) * (spectrum[2 * i + part] as number)
    }
  }
}
