import { type AudioBlock, frameCount } from './block'

/** A sound that is read a part at a time, such as a long file's: what is read need not all lie in memory. */
export interface SoundSource {
  readonly sampleRate: number
  readonly channelCount: number
  readonly frames: number
  /** Its frames from `from` up to `to`, both within it. Not to be written to. */
  part(from: number, to: number): AudioBlock
}

const sources = new WeakMap<AudioBlock, SoundSource>()

/** A block as such a source; the same one each time, and its parts are views. */
export function soundSource(sound: AudioBlock | SoundSource): SoundSource {
  if ('part' in sound) return sound
  let source = sources.get(sound)
  if (!source) {
    const { sampleRate, channels } = sound
    source = {
      sampleRate,
      channelCount: channels.length,
      frames: frameCount(sound),
      part(from, to) {
        if (from === 0 && to === frameCount(sound)) return sound
        return { sampleRate, channels: channels.map((channel) => channel.subarray(from, to)) }
      },
    }
    sources.set(sound, source)
  }
  return source
}

/** The part around some frames, cut at the sound's ends, and the frame that it begins at. */
export function partAround(source: SoundSource, from: number, to: number): { start: number; audio: AudioBlock } {
  const start = Math.max(0, Math.min(source.frames, from))
  return { start, audio: source.part(start, Math.max(start, Math.min(source.frames, to))) }
}
