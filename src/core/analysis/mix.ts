import type { AudioBlock } from '../audio/block'
import { square } from '../dsp/portable'

/** All channels in one; where they cancel, the first alone. */
export function mixOf(source: AudioBlock): Float32Array {
  const [first] = source.channels
  if (!first) return new Float32Array(0)
  if (source.channels.length === 1) return first
  const mix = new Float32Array(first.length)
  let own = 0
  let sum = 0
  for (const channel of source.channels) {
    for (let i = 0; i < mix.length; i++) mix[i] = (mix[i] as number) + (channel[i] as number)
  }
  for (let i = 0; i < mix.length; i++) {
    own += square(first[i] as number)
    sum += square(mix[i] as number)
  }
  return sum > 0.5 * own ? mix : first
}
