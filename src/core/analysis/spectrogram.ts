import { complexFft } from '../dsp/fft'
import { packFrames } from '../dsp/frames'
import { log2, square } from '../dsp/portable'
import { hann } from '../dsp/window'
import type { Task } from '../task'

/** Levels of a part of a sound over time and frequency, for drawing. */
export interface Spectrogram {
  readonly sampleRate: number
  /** window length; bins lie `sampleRate / fftFrames` Hz apart */
  readonly fftFrames: number
  readonly columns: number
  readonly bins: number
  /** `[columns × bins]`, column by column, bin 0 = DC: see `levelOf` */
  readonly levels: Uint8Array
}

/** what the lowest level stands for; 255 is a sine at full scale, dB */
export const LOWEST_DB = -127.5

/** A stored level in dB, in steps of half a dB. */
export const levelOf = (stored: number) => LOWEST_DB + stored / 2

/** Reads `out[0].length` frames of a sound from a frame on, which may lie before its start or beyond its end. */
export type ReadFrames = (frame: number, out: readonly Float32Array[]) => void

const STEP_COLUMNS = 32
const DB_PER_OCTAVE_OF_POWER = 10 / 3.321928094887362

/**
 * Levels of `columns` Hann-windowed columns, evenly over a part of a sound, as the power of all channels together.
 * @param read  is asked for rising frames.
 * @param part  frames, end exclusive; column n is centred in the nth of `columns` equal pieces of it.
 */
export function* spectrogramTask(
  read: ReadFrames,
  part: { readonly from: number; readonly to: number },
  {
    columns,
    fftFrames,
    sampleRate,
    channels,
  }: { columns: number; fftFrames: number; sampleRate: number; channels: number },
): Task<Spectrogram> {
  const bins = fftFrames / 2 + 1
  const levels = new Uint8Array(columns * bins)
  const fft = complexFft(fftFrames)
  const window = hann(fftFrames)
  const packed = fft.create()
  const out = fft.create()
  const frames = Array.from({ length: channels }, () => new Float32Array(fftFrames))
  const power = new Float64Array(bins)
  // a sine at full scale in all channels comes to a quarter of the window's length squared in each
  const full = channels * square(fftFrames / 4)
  for (let n = 0; n < columns; n++) {
    const centre = part.from + ((n + 0.5) * (part.to - part.from)) / columns
    read(Math.round(centre) - fftFrames / 2, frames)
    power.fill(0)
    for (let c = 0; c < channels; c += 2) {
      packFrames(packed, window, frames[c] as Float32Array, 0, frames[c + 1], 0)
      fft.forward(out, packed)
      for (let k = 0; k < bins; k++) {
        const m = (fftFrames - k) % fftFrames
        const re = out[2 * k] as number
        const im = out[2 * k + 1] as number
        const mirroredRe = out[2 * m] as number
        const mirroredIm = out[2 * m + 1] as number
        // |A|² + |B|² of the two real signals that share the transform
        power[k] = (power[k] as number) + (re * re + im * im + mirroredRe * mirroredRe + mirroredIm * mirroredIm) / 2
      }
    }
    for (let k = 0; k < bins; k++) {
      const db = DB_PER_OCTAVE_OF_POWER * log2((power[k] as number) / full + 1e-20)
      levels[n * bins + k] = Math.max(0, Math.min(255, Math.round(2 * (db - LOWEST_DB))))
    }
    if (n % STEP_COLUMNS === STEP_COLUMNS - 1) yield { doneFrames: n + 1, totalFrames: columns }
  }
  return { sampleRate, fftFrames, columns, bins, levels }
}
