import { type AudioBlock, frameCount, silence } from './block'

/** How loud a sound is in each step of 25 ms, over all channels. Plain data; NaN where nobody has looked yet. */
export interface Levels {
  readonly stepFrames: number
  /** the largest absolute sample of each step that is whole, 0–1 */
  readonly peaks: Float32Array
  /** the sum of its squares */
  readonly energies: Float32Array
}

/** A sound that is read a part at a time, such as a long file's: what is read need not all lie in memory. */
export interface SoundSource {
  readonly sampleRate: number
  readonly channelCount: number
  readonly frames: number
  /** how loud it is where, if somebody has looked through it already */
  readonly levels?: Levels
  /** asking for a part takes a while: whoever may not be held up has it read before */
  readonly slow?: boolean
  /**
   * Of a slow one, for whoever may not be held up: have frames from `from` up to `to` read beside, as many as there is
   * room for.
   * @returns how many of them, from `from` on, can be had at once, all where there is nothing more to wait for.
   *   They come in a later turn of the event loop.
   */
  ahead?(from: number, to: number): number
  /** Of one of several that were recorded together: whoever changes its time works on all of them as one sound. */
  readonly kin?: Kin
  /** Its frames from `from` up to `to`, both within it. Not to be written to. */
  part(from: number, to: number): AudioBlock
}

export interface Kin {
  /** all channels of all of them */
  readonly all: SoundSource
  /** which of these channels the own ones begin at */
  readonly first: number
  /** the one by whose attacks all are timed */
  readonly lead: SoundSource
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

/** A part of a source as a source of its own, its frames counted from `from`. */
export function sourceWithin(source: SoundSource, from: number, to: number): SoundSource {
  if (from === 0 && to === source.frames) return source
  const { levels: _, ahead, kin, ...rest } = source
  return {
    ...rest,
    frames: to - from,
    ...(kin && {
      kin: { ...kin, all: sourceWithin(kin.all, from, to), lead: sourceWithin(kin.lead, from, to) },
    }),
    ...(ahead && { ahead: (start, end) => ahead(from + start, from + end) }),
    part: (start, end) => source.part(from + start, from + end),
  }
}

const BLOCK_FRAMES = 1 << 15
const BLOCKS_KEPT = 3

/**
 * The same source for those who read it in small steps: short parts are cut from blocks that were read last, since
 * asking a file for each would take longer than the reading.
 */
export function inBlocks(source: SoundSource, blockFrames = BLOCK_FRAMES): SoundSource {
  /** the one used last stands last */
  let kept: { readonly from: number; readonly audio: AudioBlock }[] = []
  function blockAt(frame: number) {
    const from = frame - (frame % blockFrames)
    const block = kept.find((one) => one.from === from) ?? {
      from,
      audio: source.part(from, Math.min(source.frames, from + blockFrames)),
    }
    kept = [...kept.filter((one) => one !== block).slice(1 - BLOCKS_KEPT), block]
    return block
  }
  return {
    ...source,
    part(from, to) {
      if (to - from >= blockFrames) return source.part(from, to)
      const first = blockAt(from)
      const own = (block: typeof first, start: number, end: number) =>
        block.audio.channels.map((channel) => channel.subarray(start - block.from, end - block.from))
      const border = first.from + blockFrames
      if (to <= border) return { sampleRate: source.sampleRate, channels: own(first, from, to) }
      const before = own(first, from, border)
      const behind = own(blockAt(border), border, to)
      const channels = silence(source.channelCount, to - from)
      channels.forEach((channel, c) => {
        channel.set(before[c] as Float32Array)
        channel.set(behind[c] as Float32Array, border - from)
      })
      return { sampleRate: source.sampleRate, channels }
    },
  }
}
