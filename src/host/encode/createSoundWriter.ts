import { AppError, type Container, containers, createWavWriter, type SoundWriter } from '../../core'
import type { SoundLayout } from './layout'

const makers: Readonly<Record<Container, (layout: SoundLayout) => SoundWriter | Promise<SoundWriter>>> = {
  wav(layout) {
    const writer = createWavWriter({ ...layout, format: layout.depth })
    return {
      headerBytes: writer.header.length,
      encode: writer.encode,
      finish: () => ({
        header: writer.header as Uint8Array<ArrayBuffer>,
        footer: writer.footer as Uint8Array<ArrayBuffer>,
      }),
      get clippedSamples() {
        return writer.clippedSamples
      },
    }
  },
  // what encodes is large: it comes when it is wanted
  flac: async (layout) => (await import('./flac')).createFlacWriter(layout),
  mp3: async (layout) => (await import('./mp3')).createMp3Writer(layout),
  m4a: async (layout) => (await import('./m4a')).createM4aWriter(layout),
  opus: async (layout) => (await import('./opus')).createOpusWriter(layout),
}

/**
 * A writer of such a file. Its rate and channels are those that the container takes (`rateFor`).
 * @throws {AppError} `export/channels` where it cannot hold so many; `export/too-long` of a WAV or M4A file.
 */
export async function createSoundWriter(container: Container, layout: SoundLayout): Promise<SoundWriter> {
  const { label, mostChannels } = containers[container]
  if (layout.channelCount > mostChannels)
    throw new AppError('export/channels', { what: label, channels: layout.channelCount, most: mostChannels })
  return makers[container](layout)
}
