import type { AudioBlock } from './block'
import { type SoundSource, soundSource } from './soundSource'

/** Sounds of one length and rate as one of all their channels: whoever works on it does the same to all. */
export function joined(sounds: readonly (AudioBlock | SoundSource)[]): SoundSource {
  const sources = sounds.map(soundSource)
  const [first] = sources as [SoundSource]
  const slow = sources.some((source) => source.slow)
  const aheads = sources.flatMap(({ ahead }) => (ahead ? [ahead] : []))
  return {
    sampleRate: first.sampleRate,
    frames: first.frames,
    channelCount: sources.reduce((sum, { channelCount }) => sum + channelCount, 0),
    part: (start, end) => ({
      sampleRate: first.sampleRate,
      channels: sources.flatMap((source) => source.part(start, end).channels),
    }),
    ...(slow && { slow }),
    ...(aheads.length > 0 && {
      ahead: (from: number, to: number) => Math.min(...aheads.map((ahead) => ahead(from, to))),
    }),
  }
}
