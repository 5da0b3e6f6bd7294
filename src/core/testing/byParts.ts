import type { AudioBlock } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'

/** A block as a source that hands out copies of its parts, as a file does, and remembers what was asked for. */
export function byParts(audio: AudioBlock): SoundSource & { readonly asked: { from: number; to: number }[] } {
  const source = soundSource(audio)
  const asked: { from: number; to: number }[] = []
  return {
    ...source,
    asked,
    part(from, to) {
      if (!(from >= 0 && from <= to && to <= source.frames)) throw new RangeError(`no part ${from} to ${to}`)
      asked.push({ from, to })
      return { sampleRate: audio.sampleRate, channels: audio.channels.map((channel) => channel.slice(from, to)) }
    },
  }
}
