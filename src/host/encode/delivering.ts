import {
  AppError,
  type ByteSource,
  channelsFor,
  type Delivered,
  type Delivery,
  deliverTask,
  markersWithin,
  NO_MARKERS,
  ofLength,
  type Progress,
  type SoundTags,
} from '../../core'
import { openPcmFile } from '../pcmFile'
import { runTask } from '../runTask'
import { createSoundWriter } from './createSoundWriter'
import { layoutOf } from './layout'

/** What a file says beside its sound. Plain data. */
export interface Said {
  readonly markers: 'keep' | 'drop'
  readonly tags: SoundTags
  readonly seed: number
}

/** What came of a delivery. Plain data. */
export interface DeliveredFacts extends Delivered {
  readonly frames: number
  readonly rate: number
  readonly channels: number
}

/**
 * Open the making of the wanted file of a draft: a WAV file that holds the result, with its marks at their places.
 * @param frames  of the file; as many as the draft has without.
 * @returns the bytes that `header` will take at the start, and the making, which hands all others out in order.
 * @throws {AppError} as `createSoundWriter`.
 */
export async function openDelivery(draft: ByteSource, delivery: Delivery, said: Said, frames?: number) {
  const pcm = openPcmFile(draft, 'draft.wav')
  if (!pcm) throw new AppError('audio/unreadable', { file: 'draft.wav', why: 'it is no WAV file' })
  const whole = channelsFor(pcm.source, delivery)
  const source = frames === undefined ? whole : ofLength(whole, frames)
  const markers = said.markers === 'keep' ? markersWithin(pcm.markers, { start: 0, end: source.frames }) : NO_MARKERS
  const writer = await createSoundWriter(delivery.container, layoutOf(delivery, source, { ...said, markers }))
  return {
    headerBytes: writer.headerBytes,
    async make(
      write: (bytes: Uint8Array<ArrayBuffer>) => void,
      options: { readonly signal?: AbortSignal; readonly onProgress?: (progress: Progress) => void } = {},
    ): Promise<{ readonly header: Uint8Array<ArrayBuffer>; readonly facts: DeliveredFacts }> {
      const rest = () => writer.rest?.()
      try {
        const { level } = await runTask(deliverTask(source, delivery, writer, write), { ...options, rest })
        const { header, footer } = await writer.finish()
        write(footer)
        const { frames: made, sampleRate: rate, channelCount: channels } = source
        return { header, facts: { level, clippedSamples: writer.clippedSamples, frames: made, rate, channels } }
      } finally {
        writer.close?.()
      }
    },
  }
}
