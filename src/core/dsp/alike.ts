import type { Channels } from '../audio/block'

/** Frames of a sound, from one on; beyond its ends there is silence. */
interface From {
  readonly channels: Channels
  readonly start: number
}

/**
 * How alike two stretches of sound are, −1 to 1, all channels together; 0 where one is silent.
 * @param weights  of each frame; as many frames are looked at.
 */
export function alikeness(a: From, b: From, weights: Float64Array): number {
  let common = 0
  let ofA = 0
  let ofB = 0
  a.channels.forEach((channel, c) => {
    const other = b.channels[c] as Float32Array
    const first = Math.max(0, -a.start, -b.start)
    const end = Math.min(weights.length, channel.length - a.start, other.length - b.start)
    for (let i = first; i < end; i++) {
      const weight = weights[i] as number
      const x = channel[a.start + i] as number
      const y = other[b.start + i] as number
      common += weight * x * y
      ofA += weight * x * x
      ofB += weight * y * y
    }
  })
  const power = Math.sqrt(ofA * ofB)
  return power > 0 ? Math.max(-1, Math.min(1, common / power)) : 0
}

/** What brings the sum of two sounds of one level back to it, by the share of each and how alike they are. */
export const levelKept = (own: number, other: number, alike: number) =>
  1 / Math.sqrt(own * own + other * other + 2 * alike * own * other)
