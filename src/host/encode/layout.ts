import { type Delivery, type Dither, depthFor, type Markers, type SampleFormat, type SoundTags } from '../../core'

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
