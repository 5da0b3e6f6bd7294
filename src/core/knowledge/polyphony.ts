import type { Task } from '../task'
import { type Peak, spectralPeaks } from './spectralPeaks'

const WINDOW_SECONDS = 0.13
const HARMONICS = 20
/** how near a peak has to lie to a harmonic to be one, as a ratio */
const NEAR = 0.03
const LOWEST_HZ = 45

/**
 * Share of the energy in spectral peaks that one note cannot explain, 0 = one voice at a time; undefined where there are no
 * peaks. In every column the note whose harmonics hold most is taken out, and what is left counts.
 * Source  Klapuri 2006, "Multiple Fundamental Frequency Estimation by Summing Harmonic Amplitudes", its first step.
 */
export function* beyondOneVoice(samples: Float32Array, sampleRate: number): Task<number | undefined> {
  const columns = yield* spectralPeaks(samples, sampleRate, WINDOW_SECONDS)
  let rest = 0
  let total = 0
  for (const peaks of columns) {
    if (peaks.length === 0) continue
    const whole = peaks.reduce((sum, { level }) => sum + level, 0)
    rest += whole - explained(peaks)
    total += whole
  }
  return total > 0 ? rest / total : undefined
}

/** The most that one note explains: a note is tried at every peak and its halves, thirds and fourths. */
function explained(peaks: readonly Peak[]): number {
  let best = 0
  let bestScore = 0
  for (const { hz } of peaks) {
    for (const divisor of [1, 2, 3, 4]) {
      const f0 = hz / divisor
      if (f0 < LOWEST_HZ) break
      let sum = 0
      let first = 0
      for (const peak of peaks) {
        const n = Math.round(peak.hz / f0)
        if (n < 1 || n > HARMONICS || Math.abs(peak.hz / (n * f0) - 1) > NEAR / Math.sqrt(n)) continue
        sum += peak.level
        if (n <= 3) first += peak.level
      }
      // a note far below explains everything and has none of its own first harmonics
      const score = sum * (first > 0.2 * sum ? 1 : 0.6) * (1 - 0.06 * (divisor - 1))
      if (score > bestScore) {
        bestScore = score
        best = sum
      }
    }
  }
  return best
}
