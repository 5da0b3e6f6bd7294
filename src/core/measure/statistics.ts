/** Small statistics over plain lists; an empty list gives 0. */

export function mean(values: readonly number[]): number {
  return values.length === 0 ? 0 : values.reduce((sum, value) => sum + value, 0) / values.length
}

export function meanSquareRoot(values: readonly number[]): number {
  return Math.sqrt(mean(values.map((value) => value * value)))
}

/** The value below which `share` (0–1) of the list lies. */
export function percentile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] ?? 0
}

export const median = (values: readonly number[]): number => percentile(values, 0.5)

/** Mean of `values`, each counted by its weight; 0 without any weight. */
export function weightedMean(values: readonly number[], weights: readonly number[]): number {
  let sum = 0
  let weight = 0
  values.forEach((value, i) => {
    const w = weights[i] as number
    sum += w * value
    weight += w
  })
  return weight > 0 ? sum / weight : 0
}

/** Mean square distance of evenly spaced values from their straight line. */
export function varianceAroundLine(values: readonly number[]): number {
  const n = values.length
  if (n < 3) return 0
  const level = mean(values)
  const middle = (n - 1) / 2
  let cross = 0
  let square = 0
  values.forEach((value, i) => {
    cross += (i - middle) * (value - level)
    square += (i - middle) ** 2
  })
  let sum = 0
  values.forEach((value, i) => {
    sum += (value - level - (cross / square) * (i - middle)) ** 2
  })
  return sum / n
}
