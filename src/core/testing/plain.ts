import type { AudioBlock } from '../audio/block'

/**
 * Plain calculations that find harm of known size without any of the measures' code: sums of products, one after the
 * other. They are slow, and know where to look.
 */

const TAU = 2 * Math.PI

export const first = (audio: AudioBlock) => audio.channels[0] as Float32Array

/** Sum of squares from one frame to another. */
export function energy(samples: Float32Array, from = 0, to = samples.length): number {
  let sum = 0
  for (let i = Math.max(0, Math.round(from)); i < Math.min(samples.length, Math.round(to)); i++)
    sum += (samples[i] as number) ** 2
  return sum
}

export const rms = (values: readonly number[]) => Math.sqrt(values.reduce((sum, v) => sum + v * v, 0) / values.length)

const mean = (values: readonly number[]) => values.reduce((sum, v) => sum + v, 0) / values.length

/** What a sound has at one frequency around a frame: a sum of products with a windowed sine and cosine. */
export function tuned(samples: Float32Array, hz: number, at: number, seconds: number, sampleRate: number) {
  const half = Math.round((seconds * sampleRate) / 2)
  let re = 0
  let im = 0
  for (let i = -half; i < half; i++) {
    const value = (samples[at + i] ?? 0) * (0.5 + 0.5 * Math.cos((Math.PI * i) / half))
    const angle = (TAU * hz * (at + i)) / sampleRate
    re += value * Math.cos(angle)
    im -= value * Math.sin(angle)
  }
  return { level: (2 * Math.hypot(re, im)) / half, phase: Math.atan2(im, re) }
}

/** How much the level of one tone moves around its straight line between two moments, dB rms. */
export function wobbleDb(audio: AudioBlock, hz: number, fromSeconds: number, toSeconds: number): number {
  const { sampleRate } = audio
  const levels: number[] = []
  for (let t = fromSeconds; t < toSeconds; t += 0.01)
    levels.push(20 * Math.log10(tuned(first(audio), hz, Math.round(t * sampleRate), 0.05, sampleRate).level))
  const middle = (levels.length - 1) / 2
  const level = mean(levels)
  const slope =
    levels.reduce((sum, value, n) => sum + (n - middle) * value, 0) /
    levels.reduce((sum, _, n) => sum + (n - middle) ** 2, 0)
  return rms(levels.map((value, n) => value - level - slope * (n - middle)))
}

/** How far a tone lies off a frequency, cents: how fast its phase turns against it. */
export function centsOff(audio: AudioBlock, hz: number): number {
  const { sampleRate } = audio
  const step = 0.02
  const turns: number[] = []
  for (let t = 1; t < 3; t += step) {
    const phaseAt = (seconds: number) =>
      tuned(first(audio), hz, Math.round(seconds * sampleRate), 0.2, sampleRate).phase
    const turn = phaseAt(t + step) - phaseAt(t)
    turns.push(turn - TAU * Math.round(turn / TAU))
  }
  return 1200 * Math.log2(1 + mean(turns) / (TAU * step) / hz)
}

/** Frame from which on the energy of a millisecond first is a tenth of the loudest one, near a moment. */
export function beginning({ channels, sampleRate }: AudioBlock, seconds: number): number {
  const samples = channels[0] as Float32Array
  const ms = sampleRate / 1000
  const from = Math.round((seconds - 0.05) * sampleRate)
  const powers = Array.from({ length: 100 }, (_, n) => energy(samples, from + n * ms, from + (n + 1) * ms))
  const loudest = Math.max(...powers)
  for (let i = from; i < from + 100 * ms; i++) if (energy(samples, i, i + ms) > 0.1 * loudest) return i
  return from
}

/** Share of the energy that lies in the left channel, %. */
export function leftShare({ channels }: AudioBlock): number {
  const [left, right] = channels.map((samples) => energy(samples)) as [number, number]
  return (100 * left) / (left + right)
}

/** How far tones have moved between left and right: mean sine of the angle between their old and new direction, %. */
export function tonesMoved(result: AudioBlock, source: AudioBlock, tones: readonly number[]): number {
  const directionOf = ({ channels, sampleRate }: AudioBlock, hz: number) => {
    const [left, right] = channels.map((samples) => tuned(samples, hz, 2 * sampleRate, 1, sampleRate).level)
    return Math.atan2(right as number, left as number)
  }
  return mean(tones.map((hz) => 100 * Math.abs(Math.sin(directionOf(result, hz) - directionOf(source, hz)))))
}

/** How much of every second piece was heard one piece before, as dB of what is not new in the whole. */
export function againDb(samples: Float32Array, piece: number): number {
  let product = 0
  let own = 0
  for (let i = 0; i + piece < samples.length; i++) {
    product += (samples[i] as number) * (samples[i + piece] as number)
    own += (samples[i] as number) ** 2
  }
  // half of the pieces are copies: over those alone the correlation is twice that
  return -10 * Math.log10(1 - Math.min(0.99, ((2 * product) / own) ** 2 / 2))
}

/** How far a sound jumps from one sample to the next where another does not, counted. */
export function jumps(samples: Float32Array, clean: Float32Array, least: number): number {
  let count = 0
  const step = (from: Float32Array, i: number) => (from[i] as number) - (from[i - 1] as number)
  for (let i = 1; i < samples.length; i++) if (Math.abs(step(samples, i) - step(clean, i)) > least) count++
  return count
}

/** Share of the energy 30 ms around a start that lies in the 4 ms from it on, dB. */
export function edgeDb({ channels, sampleRate }: AudioBlock, seconds: number): number {
  const samples = channels[0] as Float32Array
  const at = seconds * sampleRate
  const around = 0.03 * sampleRate
  return 10 * Math.log10(energy(samples, at, at + 0.004 * sampleRate) / energy(samples, at - around, at + around))
}

/** Energy in the 30 ms before a start, over what lies 35 dB under that of the 30 ms behind it, dB. */
export function beforeDb({ channels, sampleRate }: AudioBlock, seconds: number): number {
  const samples = channels[0] as Float32Array
  const at = seconds * sampleRate
  const around = 0.03 * sampleRate
  const masked = 10 ** -3.5 * energy(samples, at, at + around)
  return 10 * Math.log10(1 + energy(samples, at - around, at) / masked)
}

/** Power left of a sound once its tones are taken out, in pieces of half a second, each by its level and phase. */
export function besideTones({ channels, sampleRate }: AudioBlock, tones: readonly number[]): number {
  const samples = channels[0] as Float32Array
  const length = 0.5 * sampleRate
  let rest = 0
  let count = 0
  for (let from = length; from + length < samples.length - length; from += length) {
    const piece = samples.slice(from, from + length)
    // one after the other, thrice: they hardly overlap, but they do
    for (const hz of [...tones, ...tones, ...tones]) {
      let re = 0
      let im = 0
      piece.forEach((value, i) => {
        re += (2 / length) * value * Math.cos((TAU * hz * i) / sampleRate)
        im += (2 / length) * value * Math.sin((TAU * hz * i) / sampleRate)
      })
      piece.forEach((value, i) => {
        const angle = (TAU * hz * i) / sampleRate
        piece[i] = value - re * Math.cos(angle) - im * Math.sin(angle)
      })
    }
    rest += energy(piece)
    count += length
  }
  return rest / count
}

/** Power of a sound in a band around a frequency: two resonances in a row, Q 1.4 each. */
export function bandPower({ channels, sampleRate }: AudioBlock, hz: number): number {
  const w = (TAU * hz) / sampleRate
  const alpha = Math.sin(w) / 2.8
  let samples = channels[0] as Float32Array
  for (let pass = 0; pass < 2; pass++) {
    const out = new Float32Array(samples.length)
    for (let i = 2; i < samples.length; i++) {
      const drive = alpha * ((samples[i] as number) - (samples[i - 2] as number))
      const back = 2 * Math.cos(w) * (out[i - 1] as number) - (1 - alpha) * (out[i - 2] as number)
      out[i] = (drive + back) / (1 + alpha)
    }
    samples = out
  }
  return energy(samples) / samples.length
}

/**
 * How far bands of a sound lie off another's once the change of all is taken out, dB.
 * Each has the share of its loudness in that mean: the 0.3rd power of its power (Stevens 1955).
 */
export function bandsOffDb(result: AudioBlock, source: AudioBlock, bands: readonly number[]): number {
  const all = 10 * Math.log10(energy(first(result)) / energy(first(source)))
  let sum = 0
  let weights = 0
  for (const hz of bands) {
    const before = bandPower(source, hz)
    const weight = before ** 0.3
    sum += weight * Math.abs(10 * Math.log10(bandPower(result, hz) / before) - all)
    weights += weight
  }
  return sum / weights
}

/** Where the harmonics of a held tone are loudest near some frequencies, by a parabola through three levels, Hz. */
export function peaksOfHarmonics(audio: AudioBlock, f0: number, near: readonly number[]): number[] {
  const { sampleRate } = audio
  const at = Math.round(2 * sampleRate)
  const levelOf = (k: number) => 20 * Math.log10(tuned(first(audio), k * f0, at, 0.4, sampleRate).level + 1e-9)
  return near.map((hz) => {
    let best = Math.round((0.75 * hz) / f0)
    for (let k = best; k * f0 < 1.35 * hz; k++) if (levelOf(k) > levelOf(best)) best = k
    const [left, middle, right] = [levelOf(best - 1), levelOf(best), levelOf(best + 1)] as const
    return f0 * (best + (0.5 * (left - right)) / (left - 2 * middle + right))
  })
}

/** Share of a periodic sound that does not come again one period later, power. */
export function newEachPeriod(
  { channels, sampleRate }: AudioBlock,
  f0: number,
  fromSeconds: number,
  toSeconds: number,
) {
  const samples = channels[0] as Float32Array
  const period = Math.round(sampleRate / f0)
  let rest = 0
  let all = 0
  for (let i = Math.round(fromSeconds * sampleRate); i < toSeconds * sampleRate; i++) {
    rest += ((samples[i] as number) - (samples[i + period] as number)) ** 2 / 2
    all += (samples[i] as number) ** 2
  }
  return rest / all
}
