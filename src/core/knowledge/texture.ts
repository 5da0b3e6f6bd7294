import { complexFft } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { slidingMedianInto } from '../dsp/median'
import { square } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { hann } from '../dsp/window'
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
/** how many times one median has to be the other for a bin to count as wholly of its kind */
const CLEARLY = 2.2

/**
 * Shares of sines, attacks and noise, by the two medians of the spectrogram: what lasts along time, what spreads across
 * frequency, and the rest. An estimate from one pass, unlike the layers, which add up to the sound.
 * Source  Fitzgerald 2010, "Harmonic/Percussive Separation using Median Filtering"; Driedger, Müller & Disch 2014,
 *         "Extending Harmonic-Percussive Separation of Audio Signals", for the third share.
 */
export function* textureOf(samples: Float32Array, sampleRate: number): Task<Texture> {
  const size = nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 128)
  const hop = size >> 1
  const bins = Math.min(size / 2, Math.ceil((HIGHEST_HZ * size) / sampleRate))
  const fft = complexFft(size)
  const window = hann(size)
  const packed = fft.create()
  const spectrum = fft.create()
  const count = Math.max(1, Math.ceil(samples.length / hop))
  // two columns come at once: one more than the median looks over
  const kept = ALONG + 1
  const ring = Array.from({ length: kept }, () => new Float64Array(bins))
  const empty = new Float64Array(bins)
  const across = new Float64Array(bins)
  const around: Float64Array[] = new Array(ALONG).fill(empty)
  const half = ALONG >> 1
  const energies = new Float64Array(count)
  let sines = 0
  let attacks = 0
  let noise = 0
  let flat = 0
  let total = 0

  function look(n: number) {
    const own = ring[n % kept] as Float64Array
    slidingMedianInto(across, own, ACROSS_REACH)
    for (let i = 0; i < ALONG; i++) {
      const m = n + i - half
      around[i] = m < 0 || m >= count ? empty : (ring[m % kept] as Float64Array)
    }
    let energy = 0
    let logs = 0
    for (let k = 1; k < bins; k++) {
      const wide = across[k] as number
      const power = square(own[k] as number)
      energy += power
      logs += Math.log(power + 1e-12)
      // the median along time need not be known, only on which side of two limits it lies: most of its values lie there
      const above = CLEARLY * wide
      const below = wide / CLEARLY
      let more = 0
      let less = 0
      for (let i = 0; i < ALONG; i++) {
        const value = (around[i] as Float64Array)[k] as number
        if (value > above) more++
        else if (value < below) less++
      }
      if (more > half) sines += power
      else if (less > half) attacks += power
      else noise += power
    }
    energies[n] = energy
    total += energy
    flat += energy * Math.min(1, (Math.exp(logs / (bins - 1)) * (bins - 1)) / (energy + 1e-12))
  }

  for (let n = 0; n < count + half; n += 2) {
    if (n < count) {
      packFrames(packed, window, samples, n * hop - hop, samples, n * hop)
      fft.forward(spectrum, packed)
      const a = ring[n % kept] as Float64Array
      const b = ring[(n + 1) % kept] as Float64Array
      for (let k = 0; k < bins; k++) {
        const m = (size - k) % size
        const pr = spectrum[2 * k] as number
        const pi = spectrum[2 * k + 1] as number
        const qr = spectrum[2 * m] as number
        const qi = spectrum[2 * m + 1] as number
        a[k] = 0.5 * Math.sqrt(square(pr + qr) + square(pi - qi))
        b[k] = 0.5 * Math.sqrt(square(pi + qi) + square(qr - pr))
      }
    }
    for (const ready of [n - half, n - half + 1]) if (ready >= 0 && ready < count) look(ready)
    if (n % 128 === 126) yield { doneFrames: Math.min(samples.length, n * hop), totalFrames: samples.length }
  }
  const sorted = energies.sort().reverse()
  const loud = sorted.subarray(0, Math.max(1, Math.round(count / 10))).reduce((s, v) => s + v, 0)
  const all = Math.max(1e-12, sines + attacks + noise)
  return {
    sines: sines / all,
    attacks: attacks / all,
    noise: noise / all,
    flatness: total > 0 ? flat / total : 0,
    peaky: total > 0 ? loud / total : 0,
  }
}
