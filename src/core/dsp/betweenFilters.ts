import { cosTurns, sinTurns } from './portable'

/**
 * Filters that read a signal between two of its samples, at even steps: a sinc under a Hann window, each summing to 1.
 * Shape  `filters[p]` has `2 × taps` weights; the k-th weighs frame `n + 1 − taps + k`.
 *        Their sum is what lies `(p + 1) / phases` behind frame n.
 */
export function betweenFilters(phases: number, taps: number): readonly Float64Array[] {
  return Array.from({ length: phases - 1 }, (_, p) => {
    const weights = Array.from({ length: 2 * taps }, (__, k) => {
      const x = k - taps + 1 - (p + 1) / phases
      return (sinTurns(x / 2) / (Math.PI * x)) * (0.5 + 0.5 * cosTurns(x / (2 * taps + 1)))
    })
    const sum = weights.reduce((a, b) => a + b, 0)
    return Float64Array.from(weights, (weight) => weight / sum)
  })
}
