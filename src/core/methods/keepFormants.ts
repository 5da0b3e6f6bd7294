import { createTrueEnvelopes } from '../analysis/trueEnvelope'
import type { AudioBlock } from '../audio/block'
import { silence } from '../audio/block'
import { overlapAddVoice } from '../dsp/overlapAdd'
import { exp } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { columnReader } from '../kernels/columns'
import { createSynthesis } from '../kernels/synthesis'
import { asOutput, type OutputFrame } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import type { Voice } from './method'

const WINDOW_SECONDS = 0.043
const OVERLAP = 4
/** the most by which a moment's level is brought back to what it was before the envelope was moved (18 dB) */
const MAX_LEVEL_CHANGE = 8
/** partials that lie further apart or closer than this are no louder or softer for it, power */
const MAX_FEWER = 4
/** an envelope's deep valleys are not known well enough to lift what lies in them further than this */
const MAX_GAIN_LOG = 3.453877639491069
/** up to so much of half the sample rate a sound is there */
const FULL = 0.96
/** from further down so much would be made up that it no longer is the sound: a little over an octave */
const MOST_BARE = 2.2

/**
 * Put the spectral envelope of the source where it is wanted, over a result in which it was moved: at each moment the
 * result is filtered by the envelope that is wanted over the one that is there, both the source's own, read at other
 * frequencies (`wantedAt` and `movedAt` are ratios to where it lies in the source). The same filter serves all channels.
 * Partials that were moved away from their envelope come to have its level where they lie: an octave up there are half
 * as many in it, and the sound is 3 dB less loud. What was moved down leaves nothing at the top, where the envelope
 * goes on: what lies under that is laid there once more.
 * Source  Röbel & Rodet 2005 for the envelope and for dividing it out and putting it back; Dietz et al. 2002, "Spectral
 *         band replication", for the top.
 */
export function keepFormants(
  source: AudioBlock,
  map: TimeMap,
  movedAt: (output: OutputFrame) => number,
  wantedAt: (output: OutputFrame) => number,
  inner: Voice,
): Voice {
  const length = nearestPowerOfTwo(WINDOW_SECONDS * source.sampleRate, 64)
  const bins = length / 2
  const hop = length / OVERLAP
  const channelCount = source.channels.length
  const envelopesOf = createTrueEnvelopes(length, source.sampleRate)
  const lay = createSynthesis(length, 'hann')
  const scale = 1 / (0.375 * OVERLAP)
  // one more than the channels where they are odd: transforms carry two at once
  const spectra = Array.from({ length: 2 * Math.ceil(channelCount / 2) }, () => new Float32Array(length + 2))
  const columns = columnReader(length)
  const power = new Float32Array(bins + 1)
  /** magnitudes of two columns, and then their envelopes */
  const both = [new Float64Array(bins + 1), new Float64Array(bins + 1)] as const
  const gains = new Float64Array(bins + 1)
  /** nothing was moved to the bins `bare…top`: what fills them comes from a multiple of `step` below */
  let bare = bins + 1
  let top = bare
  let step = OVERLAP
  const held = silence(channelCount, length)
  const newest = held.map((channel) => channel.subarray(length - hop))
  let heldSegment = Number.NaN
  let envelopeOfPair = Number.NaN
  let foundTwo = Number.NaN
  let envelope: Float64Array = both[0]

  /**
   * The envelope around a source frame, found once for every other segment: it moves more slowly than they come. Two are found at a
   * time, always the same ones, wherever reading began.
   */
  function findEnvelope(pair: number) {
    if (pair === envelopeOfPair) return
    envelopeOfPair = pair
    if (pair >> 1 !== foundTwo) {
      foundTwo = pair >> 1
      const [first, second] = both
      readMagnitudes(2 * foundTwo, first)
      readMagnitudes(2 * foundTwo + 1, second)
      envelopesOf(first, second).forEach((found, n) => {
        both[n]?.set(found)
      })
    }
    envelope = both[pair & 1] as Float64Array
  }

  function readMagnitudes(pair: number, into: Float64Array) {
    const start = Math.round(map.sourceAt(asOutput((2 * pair + 0.5) * hop))) - bins
    into.fill(0)
    for (let c = 0; c < channelCount; c += 2) {
      columns.power(power, source.channels[c] as Float32Array, start, source.channels[c + 1], start)
      // half of the energy of both, as the columns are laid
      for (let k = 0; k <= bins; k++) into[k] = (into[k] as number) + 0.25 * (power[k] as number)
    }
    for (let k = 0; k <= bins; k++) into[k] = Math.sqrt(into[k] as number)
  }

  function findGains(moved: number, wanted: number) {
    const levelAt = (bin: number) => {
      const i = Math.min(bins - 1, Math.floor(bin))
      const low = envelope[i] as number
      return low + (Math.min(bins, bin) - i) * ((envelope[i + 1] as number) - low)
    }
    bare = Math.min(bins + 1, Math.ceil(FULL * bins * moved))
    top = wanted > MOST_BARE * moved ? bare : Math.min(bins + 1, Math.ceil(FULL * bins * wanted))
    // by so many bins all segments turn alike
    step = OVERLAP * Math.ceil(bare / 2 / OVERLAP)
    for (let k = 0; k <= bins; k++) {
      const from = (k < bare || k >= top ? k : filledFrom(k)) / moved
      const change = from >= bins ? 0 : levelAt(k / wanted) - levelAt(from)
      gains[k] = exp(Math.max(-MAX_GAIN_LOG, Math.min(MAX_GAIN_LOG, change)))
    }
  }

  const filledFrom = (k: number) => bare - step + ((k - bare) % step)

  let powerBefore = 0
  let powerBehind = 0

  /** Fill the top, apply the gains, and add up the power before and behind. */
  function filter(spectrumHalf: Float32Array): void {
    for (let k = bare; k < top; k++) {
      const from = 2 * filledFrom(k)
      spectrumHalf[2 * k] = spectrumHalf[from] as number
      spectrumHalf[2 * k + 1] = spectrumHalf[from + 1] as number
    }
    for (let k = 0; k <= bins; k++) {
      const gain = gains[k] as number
      const re = spectrumHalf[2 * k] as number
      const im = spectrumHalf[2 * k + 1] as number
      spectrumHalf[2 * k] = re * gain
      spectrumHalf[2 * k + 1] = im * gain
      powerBefore += re * re + im * im
      powerBehind += (re * re + im * im) * gain * gain
    }
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
      findEnvelope(Math.floor(k / 2))
      const [moved, wanted] = [movedAt(asOutput(centre)), wantedAt(asOutput(centre))]
      findGains(moved, wanted)
      powerBefore = 0
      powerBehind = 0
      for (let c = 0; c < channelCount; c += 2) {
        const pair = [spectra[c] as Float32Array, spectra[c + 1] as Float32Array] as const
        columns.halves(pair, held[c] as Float32Array, 0, held[c + 1], 0)
        filter(spectra[c] as Float32Array)
        filter(spectra[c + 1] as Float32Array)
      }
      // each partial takes the level that the envelope has where it lies now: of partials further apart there are fewer
      const fewer = Math.max(1 / MAX_FEWER, Math.min(MAX_FEWER, wanted / moved))
      const change = Math.sqrt((fewer * powerBefore) / Math.max(powerBehind, 1e-30))
      // the envelope says it by partials, the power by the whole: where few partials are loud the first is right, where
      // narrow formants lie between them the second, so the middle is taken
      const level = scale * Math.sqrt(Math.min(MAX_LEVEL_CHANGE, change))
      lay(spectra, sum, level)
    },
  })
}
