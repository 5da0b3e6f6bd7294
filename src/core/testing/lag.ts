/** The lag at which one sound is most like another from a frame on, by its edges; undefined where it is silent. */
export function bestLag(a: Float32Array, b: Float32Array, at: number, count: number): number | undefined {
  const edge = (of: Float32Array, i: number) => (of[i + 1] ?? 0) - (of[i] ?? 0)
  let best = 0
  let most = 0
  let energy = 0
  for (let i = 0; i < count; i++) energy += edge(a, at + i) ** 2
  if (energy < 0.05) return undefined
  for (let lag = 100; lag < 180; lag++) {
    let sum = 0
    let other = 0
    for (let i = 0; i < count; i++) {
      sum += edge(a, at + i) * edge(b, at + i + lag)
      other += edge(b, at + i + lag) ** 2
    }
    if (sum / Math.sqrt(other) > most) {
      most = sum / Math.sqrt(other)
      best = lag
    }
  }
  return best
}
