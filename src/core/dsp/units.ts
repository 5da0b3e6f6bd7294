import { exp, exp2, log2 } from './portable'

/** Amplitude as dB; 0 becomes −Infinity. */
export function amplitudeToDb(amplitude: number): number {
  return 20 * Math.log10(amplitude)
}

export function dbToAmplitude(db: number): number {
  return 10 ** (db / 20)
}

/** The same, the same bits everywhere: for what shapes samples. */
export function dbToGain(db: number): number {
  return exp((db / 20) * Math.LN10)
}

/** Frequency ratio of an interval in equal-tempered semitones (12 = 2), the same bits everywhere. */
export function semitonesToRatio(semitones: number): number {
  return exp2(semitones / 12)
}

export function ratioToSemitones(ratio: number): number {
  return 12 * log2(ratio)
}

/** The whole power of two nearest to `frames` on a log scale, at least `least`. */
export function nearestPowerOfTwo(frames: number, least: number): number {
  return Math.max(least, 2 ** Math.round(log2(Math.max(1, frames))))
}
