import type { Channels, Markers } from '../audio/block'
import { NO_MARKERS } from '../audio/block'
import type { Dither, SampleFormat } from '../audio/sampleFormat'
import type { SoundTags } from '../audio/soundTags'
import { createWavWriter } from '../audio/writeWav'
import { AppError } from '../errors'
import type { Voice } from '../methods/method'
import { readTask } from '../render/renderTask'
import type { Task } from '../task'

/** What of a mix is written, and how. */
export interface MixOrder {
  /** frames of the mix, the end exclusive; it may lie behind its last part */
  readonly from: number
  readonly to: number
  /** Hz */
  readonly rate: number
  readonly format: SampleFormat
  /** of 16 bits; flat where it is not said */
  readonly dither?: Dither | undefined
  readonly tags?: SoundTags | undefined
  readonly markers?: Markers
}

export interface MixFacts {
  readonly frames: number
  readonly bytes: number
  /** samples over full scale, which a format of whole numbers limits */
  readonly clippedSamples: number
  readonly peak: number
}

const SEED = 1

/**
 * The bytes of a WAV file of a stereo mix, block by block, in order. 16 bits are dithered.
 * @throws {AppError} `mix/empty` where nothing lies between the frames; `export/too-long`.
 */
export function createMixWriter(order: MixOrder, write: (bytes: Uint8Array<ArrayBuffer>) => void) {
  const { from, to, rate, format } = order
  if (!(to > from)) throw new AppError('mix/empty', {})
  const writer = createWavWriter({
    sampleRate: rate,
    channelCount: 2,
    frames: to - from,
    format,
    markers: order.markers ?? NO_MARKERS,
    tags: order.tags,
    dither: order.dither ?? 'flat',
    seed: SEED,
  })
  let peak = 0
  write(writer.header as Uint8Array<ArrayBuffer>)
  return {
    add(block: Channels, frames: number) {
      for (const channel of block)
        for (let i = 0; i < frames; i++) peak = Math.max(peak, Math.abs(channel[i] as number))
      write(writer.encode(block, frames))
    },
    finish(): MixFacts {
      write(writer.footer as Uint8Array<ArrayBuffer>)
      return { frames: to - from, bytes: writer.totalBytes, clippedSamples: writer.clippedSamples, peak }
    },
  }
}

/** Write a stereo voice as such a file. @throws {AppError} as `createMixWriter`. */
export function* mixTask(
  voice: Voice,
  order: MixOrder,
  write: (bytes: Uint8Array<ArrayBuffer>) => void,
): Task<MixFacts> {
  const writer = createMixWriter(order, write)
  yield* readTask(voice, 2, order, writer.add)
  return writer.finish()
}
