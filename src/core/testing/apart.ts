/**
 * How far two sets of signals `[channel][frame]` are apart: the power of their difference over that of the wanted one, in dB. −∞ where
 * they are the same.
 */
export function apartDb(got: readonly Float32Array[], wanted: readonly Float32Array[]): number {
  let apart = 0
  let all = 0
  got.forEach((channel, c) => {
    channel.forEach((value, i) => {
      apart += (value - (wanted[c]?.[i] as number)) ** 2
      all += (wanted[c]?.[i] as number) ** 2
    })
  })
  return apart === 0 ? Number.NEGATIVE_INFINITY : 10 * Math.log10(apart / Math.max(all, 1e-30))
}
