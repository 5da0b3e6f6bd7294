import type { Channels } from '../audio/block'

/** Add a part's samples to a sum, in the one way that whoever sums does it: so it comes to the same samples. */
export function addPart(sum: Channels, part: Channels, gain: number, at = 0) {
  sum.forEach((channel, c) => {
    const own = part[c] as Float32Array
    for (let i = 0; i < own.length; i++) channel[at + i] = (channel[at + i] as number) + gain * (own[i] as number)
  })
}
