import type { Comparison } from './comparison'
import { powerBetween, type Spectrum } from './spectra'

const BANDS_PER_OCTAVE = 6
const LOWEST_HZ = 60
const HIGHEST_HZ = 16_000
/** bands this far under the strongest one of the moment are not heard beside it */
const DEPTH = 10 ** -4.5
const EDGES: readonly number[] = Array.from(
  { length: Math.floor(Math.log2(HIGHEST_HZ / LOWEST_HZ) * BANDS_PER_OCTAVE) },
  (_, n) => LOWEST_HZ * 2 ** (n / BANDS_PER_OCTAVE),
)

/**
 * How unlike the source a result is at corresponding moments, dB: mean distance of the log spectra in sixths of an octave. It
 * is no kind of harm of its own, since fresh noise is unlike as well, but it tells close results apart.
 */
export function createUnlikeness(comparison: Comparison) {
  const nyquist = comparison.source.sampleRate / 2
  let sum = 0
  let weight = 0
  return {
    /** @param seconds  how long the moment stands for. */
    add(
      ratio: number,
      got: Spectrum,
      want: Spectrum,
      natural: Spectrum | 'silence' | undefined,
      binHz: number,
      seconds: number,
    ) {
      const bands: { low: number; high: number; got: number }[] = []
      let strongest = 0
      for (let b = 0; b + 1 < EDGES.length; b++) {
        const low = EDGES[b] as number
        const high = EDGES[b + 1] as number
        if (high > 0.92 * nyquist || high * ratio > 0.92 * nyquist) break
        // no narrower than a bin
        if (high - low < binHz) continue
        const a = powerBetween(want.below, low / binHz, high / binHz)
        const c =
          natural === undefined ? a : natural === 'silence' ? 0 : powerBetween(natural.below, low / binHz, high / binHz)
        const g = powerBetween(got.below, (low * ratio) / binHz, (high * ratio) / binHz)
        bands.push({ low: Math.min(a, c), high: Math.max(a, c), got: g })
        strongest = Math.max(strongest, a, c)
      }
      const gate = DEPTH * strongest
      if (gate <= 0) return
      let off = 0
      let count = 0
      for (const band of bands) {
        if (band.high < gate && band.got < gate) continue
        const level = Math.max(gate, band.got)
        const nearest = Math.max(gate, Math.max(band.low, Math.min(band.high, level)))
        off += Math.abs(10 * Math.log10(level / nearest))
        count++
      }
      if (count === 0) return
      sum += (off / count) * seconds
      weight += seconds
    },
    finish: (): number => (weight > 0 ? sum / weight : 0),
  }
}
