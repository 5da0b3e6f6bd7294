import { type AudioBlock, frameCount } from '../audio/block'
import { square } from '../dsp/portable'

/** Power of the loudest column, as the column reader has it: a Hann window holds 3/8 of the energy, on two sides. */
export function loudestPower(audio: AudioBlock, size: number): number {
  let loudest = 0
  for (let at = 0; at < frameCount(audio); at += size) {
    let sum = 0
    for (const channel of audio.channels) {
      const end = Math.min(channel.length, at + size)
      for (let i = at; i < end; i++) sum += square(channel[i] as number)
    }
    loudest = Math.max(loudest, sum)
  }
  return loudest * 0.375 * 2 * size
}
