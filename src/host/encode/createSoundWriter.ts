import {
  AppError,
  type Container,
  containers,
  createWavWriter,
  type Delivery,
  type Dither,
  depthFor,
  type Markers,
  type SampleFormat,
  type SoundTags,
  type SoundWriter,
} from '../../core'

/** What a file is to hold, and how. */
export interface SoundLayout {
  readonly sampleRate: number
  readonly channelCount: number
  readonly frames: number
  readonly markers: Markers
  readonly tags: SoundTags
  readonly depth: SampleFormat
  readonly dither: Dither
  readonly seed: number
  readonly kbps?: number | undefined
}

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
  opus: async (layout) => (await import('./opus')).createOpusWriter(layout),
}

/**
 * A writer of such a file. Its rate and channels are those that the container takes (`rateFor`).
 * @throws {AppError} `export/channels` where it cannot hold so many; `export/too-long` of a WAV file.
 */
export async function createSoundWriter(container: Container, layout: SoundLayout): Promise<SoundWriter> {
  const { label, mostChannels } = containers[container]
  if (layout.channelCount > mostChannels)
    throw new AppError('export/channels', { what: label, channels: layout.channelCount, most: mostChannels })
  return makers[container](layout)
}

/** The layout of a delivery of a sound. A draft that holds its last numbers already is not dithered again. */
export const layoutOf = (
  { container, depth, dither, level, mono, kbps }: Delivery,
  sound: { readonly sampleRate: number; readonly channelCount: number; readonly frames: number },
  said: Pick<SoundLayout, 'markers' | 'tags' | 'seed'>,
): SoundLayout => ({
  ...said,
  sampleRate: sound.sampleRate,
  channelCount: sound.channelCount,
  frames: sound.frames,
  depth: depthFor(container, depth),
  dither: level.kind === 'as-is' && !mono ? 'none' : dither,
  kbps,
})
