import { partAround, type SoundSource } from '../audio/soundSource'
import { square } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { columnReader } from '../kernels/columns'
import { RANKS_AT_ONCE, ranks, slidingMedian } from '../kernels/ranks'
import type { Task } from '../task'

/** What a sound's energy is made of. Shares are 0–1 and the first three sum to 1. */
export interface Texture {
  /** steady partials */
  readonly sines: number
  /** what comes and goes at once over many frequencies */
  readonly attacks: number
  /** neither */
  readonly noise: number
  /** how level the spectrum is, 0 = a tone, 1 = white; mean over columns by energy (Wiener entropy) */
  readonly flatness: number
  /** how much of the energy comes in the loudest tenth of the time */
  readonly peaky: number
}

const WINDOW_SECONDS = 0.046
const HIGHEST_HZ = 10_000
/** columns along time and bins across frequency that the two medians look over */
const ALONG = 17
const ACROSS_REACH = 8
/** bins whose product is taken before its logarithm */
const LOGS_AT_ONCE = 8
/** columns whose sound is asked for at once */
const AT_ONCE = 128
/** how many times one median has to be the other for a bin to count as wholly of its kind */
const CLEARLY = 2.2

/**
 * Shares of sines, attacks and noise, by the two medians of the spectrogram: what lasts along time, what spreads across
 * frequency, and the rest. An estimate from one pass, unlike the layers, which add up to the sound.
 * Source  Fitzgerald 2010, "Harmonic/Percussive Separation using Median Filtering"; Driedger, Müller & Disch 2014,
 *         "Extending Harmonic-Percussive Separation of Audio Signals", for the third share.
 * @param source  with one channel.
 */
export function* textureOf(source: SoundSource): Task<Texture> {
  const { sampleRate, frames: totalFrames } = source
  const size = nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 128)
  const hop = size >> 1
  const bins = Math.min(size / 2, Math.ceil((HIGHEST_HZ * size) / sampleRate))
  const columns = columnReader(size)
  const column = () => new Float32Array(size / 2 + 1)
  const pair = { left: column(), right: column(), crossRe: column(), crossIm: column() }
  const count = Math.max(1, Math.ceil(totalFrames / hop))
  // powers stand for magnitudes: they have the same order
  const along = ranks(ALONG, bins)
  const across = slidingMedian(bins, ACROSS_REACH)
  const rows: Float32Array[] = Array.from({ length: ALONG + RANKS_AT_ONCE - 1 }, () => new Float32Array(bins))
  const lasting = Array.from({ length: RANKS_AT_ONCE }, () => new Float32Array(bins))
  const spread = new Float32Array(bins)
  const half = ALONG >> 1
  const energies = new Float64Array(count)
  const sums = { sines: 0, attacks: 0, noise: 0 }
  let flat = 0
  let total = 0

  // what is looked at now
  let samples: Float32Array = new Float32Array(0)
  let start = 0
  let end = 0
  /** Have the frames from one of a column's up to those of the column behind it, and some more. */
  function reach(from: number) {
    if (from + hop + size <= end) return
    const read = partAround(source, from, from + AT_ONCE * hop + size)
    samples = read.audio.channels[0] as Float32Array
    start = read.start
    // nothing lies beyond the sound's own end
    end = start + samples.length < totalFrames ? start + samples.length : Number.POSITIVE_INFINITY
  }

  /** Let the rows end with column `next` and the one behind it. */
  function append(next: number) {
    const [a, b] = rows.splice(0, 2) as [Float32Array, Float32Array]
    const from = next * hop - hop
    reach(from)
    columns.cross(pair, samples, from - start, samples, from - start + hop)
    for (const [row, from, n] of [
      [a, pair.left, next],
      [b, pair.right, next + 1],
    ] as const) {
      if (n < count) row.set(from.subarray(0, bins))
      else row.fill(0)
    }
    rows.push(a, b)
  }

  // the rows of the first windows, but for those that every round brings
  for (let next = 0; next < half; next += 2) append(next)
  for (let first = 0; first < count; first += RANKS_AT_ONCE) {
    for (let next = first; next < first + RANKS_AT_ONCE; next += 2) append(next + half)
    along(rows, lasting)
    for (let n = first; n < Math.min(count, first + RANKS_AT_ONCE); n++) {
      const own = rows[n - first + half] as Float32Array
      across(spread, own)
      const energy = share(sums, own, lasting[n - first] as Float32Array, spread)
      energies[n] = energy
      total += energy
      flat += energy * Math.min(1, (Math.exp(logSum(own) / (bins - 1)) * (bins - 1)) / (energy + 1e-12))
    }
    if (first % 128 === 0) yield { doneFrames: Math.min(totalFrames, first * hop), totalFrames }
  }
  const sorted = energies.sort().reverse()
  const loud = sorted.subarray(0, Math.max(1, Math.round(count / 10))).reduce((s, v) => s + v, 0)
  const all = Math.max(1e-12, sums.sines + sums.attacks + sums.noise)
  return {
    sines: sums.sines / all,
    attacks: sums.attacks / all,
    noise: sums.noise / all,
    flatness: total > 0 ? flat / total : 0,
    peaky: total > 0 ? loud / total : 0,
  }
}

// loops of their own: inside a generator they would stay slow

/** Give each bin's power to its kind; returns all of it. The rows hold four times the power, which is taken out here. */
function share(
  sums: { sines: number; attacks: number; noise: number },
  powers: Float32Array,
  lasting: Float32Array,
  spread: Float32Array,
): number {
  const clearly = square(CLEARLY)
  let sines = 0
  let attacks = 0
  let energy = 0
  for (let k = 1; k < powers.length; k++) {
    const power = 0.25 * (powers[k] as number)
    const lasts = lasting[k] as number
    const spreads = spread[k] as number
    energy += power
    if (lasts > clearly * spreads) sines += power
    else if (clearly * lasts < spreads) attacks += power
  }
  sums.sines += sines
  sums.attacks += attacks
  sums.noise += energy - sines - attacks
  return energy
}

/** Σ ln of the powers, of several by one logarithm. */
function logSum(powers: Float32Array): number {
  let sum = 0
  let product = 1
  for (let k = 1; k < powers.length; k++) {
    product *= 0.25 * (powers[k] as number) + 1e-12
    if (k % LOGS_AT_ONCE === 0) {
      sum += Math.log(product)
      product = 1
    }
  }
  return sum + Math.log(product)
}
