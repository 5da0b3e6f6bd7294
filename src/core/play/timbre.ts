import { type AudioBlock, frameCount } from '../audio/block'
import { complexFft, splitRealPair } from '../dsp/fft'
import { log2, square } from '../dsp/portable'
import { nearestPowerOfTwo } from '../dsp/units'
import { hann } from '../dsp/window'

/** How a moment sounds, whatever its level. Plain data. */
export interface Timbre {
  /** of a few columns' mean spectrum in bands, dB below its loudest, `[BANDS]` */
  readonly bandsDb: readonly number[]
  /** where its energy lies, octaves above 20 Hz */
  readonly brightness: number
  /** 0 a tone, 1 white */
  readonly noisiness: number
  /** how much its spectrum changes from column to column, dB */
  readonly movement: number
  readonly levelDb: number
}

const BANDS = 28
const LOWEST_HZ = 40
const HIGHEST_HZ = 16_000
/** what lies further down is not heard beside the rest */
const FLOOR_DB = -50
const WINDOW_SECONDS = 0.085
const MOST_COLUMNS = 16

/** Shape  a part of at least a tenth of a second; a shorter one is taken as it is. */
export function timbreOf(audio: AudioBlock): Timbre {
  const { sampleRate, channels } = audio
  const frames = frameCount(audio)
  const length = nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 256)
  const window = hann(length)
  const fft = complexFft(length)
  const input = fft.create()
  const spectrum = fft.create()
  const bins = new Float32Array(length + 2)
  const spare = new Float32Array(length + 2)
  const count = Math.max(1, Math.min(MOST_COLUMNS, Math.floor(frames / (length / 2))))
  const mean = new Float64Array(BANDS)
  let before: Float64Array | undefined
  let [movement, moves, logs, sums, bandsSeen] = [0, 0, 0, 0, 0]
  for (let n = 0; n < count; n++) {
    const start = Math.round(((frames - length) * (n + 0.5)) / count)
    for (let i = 0; i < length; i++) {
      let sum = 0
      for (const channel of channels) sum += channel[start + i] ?? 0
      input[2 * i] = (sum / channels.length) * (window[i] as number)
      input[2 * i + 1] = 0
    }
    fft.forward(spectrum, input)
    splitRealPair(spectrum, length, bins, spare)
    const bands = new Float64Array(BANDS)
    for (let k = 1; k < length / 2; k++) {
      const hz = (k * sampleRate) / length
      if (hz < LOWEST_HZ || hz >= HIGHEST_HZ) continue
      const power = square(bins[2 * k] as number) + square(bins[2 * k + 1] as number)
      const band = Math.min(BANDS - 1, Math.floor(bandOf(hz)))
      bands[band] = (bands[band] as number) + power
      logs += log2(power + 1e-16)
      sums += power
      bandsSeen++
    }
    for (let b = 0; b < BANDS; b++) mean[b] = (mean[b] as number) + (bands[b] as number)
    if (before) {
      movement += distanceOf(decibels(bands), decibels(before))
      moves++
    }
    before = bands
  }
  const bandsDb = decibels(mean)
  const total = mean.reduce((sum, power) => sum + power, 0)
  const brightness = total > 0 ? mean.reduce((sum, power, b) => sum + power * (b + 0.5), 0) / total / BANDS : 0
  const spread = log2(HIGHEST_HZ / LOWEST_HZ)
  const energy = channels.reduce((sum, channel) => sum + channel.reduce((own, value) => own + value * value, 0), 0)
  return {
    bandsDb,
    brightness: brightness * spread + log2(LOWEST_HZ / 20),
    noisiness: sums > 0 ? Math.min(1, 2 ** (logs / bandsSeen) / (sums / bandsSeen)) : 0,
    movement: moves > 0 ? movement / moves : 0,
    levelDb: 10 * Math.log10(energy / Math.max(1, frames * channels.length) + 1e-12),
  }
}

const bandOf = (hz: number) => (BANDS * log2(hz / LOWEST_HZ)) / log2(HIGHEST_HZ / LOWEST_HZ)

function decibels(bands: Float64Array): number[] {
  const most = bands.reduce((top, power) => Math.max(top, power), 1e-16)
  return Array.from(bands, (power) => Math.max(FLOOR_DB, 10 * Math.log10((power + 1e-16) / most)))
}

function distanceOf(a: readonly number[], b: readonly number[]): number {
  return Math.sqrt(a.reduce((sum, value, n) => sum + square(value - (b[n] as number)), 0) / a.length)
}

/** How differently two moments sound, dB: the mean difference of their bands, and of what they do beside. */
export function timbreDistance(a: Timbre, b: Timbre): number {
  const own = distanceOf(a.bandsDb, b.bandsDb)
  return Math.sqrt(square(own) + square(12 * (a.noisiness - b.noisiness)) + square(0.5 * (a.movement - b.movement)))
}

/** below it two moments are near twins, dB */
export const TWINS_DB = 3

/** In words, what sets a moment apart from the usual one; empty where nothing does. */
export function timbreWords(own: Timbre, usual: Timbre): readonly string[] {
  const words: string[] = []
  const bright = own.brightness - usual.brightness
  if (Math.abs(bright) > 0.4) words.push(bright > 0 ? 'brighter' : 'darker')
  const noisy = own.noisiness - usual.noisiness
  if (Math.abs(noisy) > 0.04) words.push(noisy > 0 ? 'noisier' : 'purer')
  const moves = own.movement - usual.movement
  if (Math.abs(moves) > 2) words.push(moves > 0 ? 'more restless' : 'steadier')
  const level = own.levelDb - usual.levelDb
  if (Math.abs(level) > 4) words.push(level > 0 ? 'louder' : 'softer')
  return words
}
