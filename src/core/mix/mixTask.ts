import type { Channels } from '../audio/block'
import { NO_MARKERS } from '../audio/block'
import type { SampleFormat } from '../audio/sampleFormat'
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
 * Write a stereo voice as the bytes of a WAV file, from its first to its last. 16 bits are dithered.
 * @throws {AppError} `mix/empty` where nothing lies between the frames; `export/too-long`.
 */
export function* mixTask(
  voice: Voice,
  { from, to, rate, format }: MixOrder,
  write: (bytes: Uint8Array<ArrayBuffer>) => void,
): Task<MixFacts> {
  if (!(to > from)) throw new AppError('mix/empty', {})
  const writer = createWavWriter({
    sampleRate: rate,
    channelCount: 2,
    frames: to - from,
    format,
    markers: NO_MARKERS,
    dither: true,
    seed: SEED,
  })
  write(writer.header as Uint8Array<ArrayBuffer>)
  let peak = 0
  const sink = (block: Channels, frames: number) => {
    for (const channel of block) for (let i = 0; i < frames; i++) peak = Math.max(peak, Math.abs(channel[i] as number))
    write(writer.encode(block, frames))
  }
  yield* readTask(voice, 2, { from, to }, sink)
  write(writer.footer as Uint8Array<ArrayBuffer>)
  return { frames: to - from, bytes: writer.totalBytes, clippedSamples: writer.clippedSamples, peak }
}
