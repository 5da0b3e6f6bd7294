import { AppError } from '../errors'
import type { Markers } from './block'
import { concat, writerOver } from './byteWriter'
import { bytesPerSample, createQuantiser, type Dither, type SampleFormat } from './sampleFormat'
import type { SoundTags } from './soundTags'
import { latin, loopChunk, recipeChunk, stampChunk, textChunk } from './wavFields'

export interface WavLayout {
  readonly sampleRate: number
  readonly channelCount: number
  readonly frames: number
  readonly format: SampleFormat
  readonly markers: Markers
  readonly tags?: SoundTags | undefined
  readonly dither: Dither
  readonly seed: number
}

/**
 * A WAV file made piece by piece, so that a result never has to lie in memory whole: `header`, then the bytes of each
 * block in turn, then `footer` (cue points, labels, sampler loops). More than two channels or more than 16 bits get the
 * extensible header that they call for.
 * @throws {AppError} `export/too-long` if the file would pass the 4 GiB that a WAV header can state.
 */
export function createWavWriter(layout: WavLayout) {
  const { sampleRate, channelCount, frames, format, markers, tags = {} } = layout
  const size = bytesPerSample[format]
  const dataBytes = frames * channelCount * size
  const pad = dataBytes & 1
  const { rootNote } = markers
  const { bpm, ...counted } = { ...markers.tempo, ...tags }
  const footer = concat([
    markerChunks(markers, sampleRate),
    ...(bpm === undefined ? [] : [loopChunk({ ...counted, bpm }, frames / sampleRate, rootNote)]),
    textChunk(tags),
    ...(tags.recipe === undefined ? [] : [recipeChunk(tags.recipe)]),
  ])
  const stamp = tags.startFrame === undefined ? new Uint8Array() : stampChunk(tags, tags.startFrame)
  const extensible = channelCount > 2 || format === '24' || format === '32'
  const fmtBytes = extensible ? 40 : format === '32f' ? 18 : 16
  // a float file states its frame count a second time, in a fact chunk
  const factBytes = format === '32f' ? 12 : 0
  const headerBytes = 12 + stamp.length + 8 + fmtBytes + factBytes + 8
  const total = headerBytes + dataBytes + pad + footer.length
  if (total - 8 > 0xffffffff) throw new AppError('export/too-long', { bytes: total })

  const header = new Uint8Array(headerBytes)
  const put = writerOver(header)
  put
    .id('RIFF')
    .u32(total - 8)
    .id('WAVE')
    .bytes(stamp)
  put.id('fmt ').u32(fmtBytes)
  const tag = format === '32f' ? 3 : 1
  put
    .u16(extensible ? 0xfffe : tag)
    .u16(channelCount)
    .u32(wavRate(sampleRate))
  put
    .u32(wavRate(sampleRate) * channelCount * size)
    .u16(channelCount * size)
    .u16(size * 8)
  if (fmtBytes > 16) put.u16(fmtBytes - 18)
  if (extensible) {
    put
      .u16(size * 8)
      .u32(speakerMask(channelCount))
      .u16(tag)
    put.bytes([0, 0, 0, 0, 0x10, 0, 0x80, 0, 0, 0xaa, 0, 0x38, 0x9b, 0x71])
  }
  if (factBytes > 0) put.id('fact').u32(4).u32(frames)
  put.id('data').u32(dataBytes)

  const quantiser = createQuantiser(format, layout)
  return {
    totalBytes: total,
    header,
    encode: quantiser.encode,
    get clippedSamples() {
      return quantiser.clipped
    },
    footer: pad ? concat([new Uint8Array(1), footer]) : footer,
  }
}

/** A whole file at once, for short sounds. Shape: `channels[c]` all of one length. */
export function writeWav(
  audio: { sampleRate: number; channels: readonly Float32Array[] },
  options: { format: SampleFormat; markers?: Markers; dither?: Dither; seed?: number },
): Uint8Array<ArrayBuffer> {
  const frames = audio.channels[0]?.length ?? 0
  const writer = createWavWriter({
    sampleRate: audio.sampleRate,
    channelCount: audio.channels.length,
    frames,
    format: options.format,
    markers: options.markers ?? { cues: [], loops: [] },
    dither: options.dither ?? 'none',
    seed: options.seed ?? 0,
  })
  return concat([writer.header, writer.encode(audio.channels, frames), writer.footer])
}

/** The usual speakers for 1–8 channels, as bits in file order. */
function speakerMask(channelCount: number): number {
  return [0, 0x4, 0x3, 0x7, 0x33, 0x37, 0x3f, 0x13f, 0x63f][channelCount] ?? 0
}

/** A WAV file's rate is a whole number. */
export const wavRate = (sampleRate: number) => Math.round(sampleRate)

function markerChunks(markers: Markers, sampleRate: number): Uint8Array {
  const parts: Uint8Array[] = []
  const { cues, loops, rootNote } = markers
  if (cues.length > 0) {
    const chunk = new Uint8Array(8 + 4 + 24 * cues.length)
    const put = writerOver(chunk)
    put
      .id('cue ')
      .u32(chunk.length - 8)
      .u32(cues.length)
    cues.forEach((cue, i) => {
      put
        .u32(i + 1)
        .u32(cue.frame)
        .id('data')
        .u32(0)
        .u32(0)
        .u32(cue.frame)
    })
    parts.push(chunk)
    const labels = cues.flatMap((cue, i) => (cue.label === '' ? [] : [labelChunk(i + 1, cue.label)]))
    if (labels.length > 0) {
      const body = concat(labels)
      const list = new Uint8Array(12)
      writerOver(list)
        .id('LIST')
        .u32(body.length + 4)
        .id('adtl')
      parts.push(list, body)
    }
  }
  if (loops.length > 0 || rootNote !== undefined) {
    const chunk = new Uint8Array(8 + 36 + 24 * loops.length)
    const put = writerOver(chunk)
    put.id('smpl').u32(chunk.length - 8)
    put
      .u32(0)
      .u32(0)
      .u32(Math.round(1e9 / sampleRate))
      .u32(rootNote ?? 60)
      .u32(0)
      .u32(0)
      .u32(0)
    put.u32(loops.length).u32(0)
    loops.forEach((loop, i) => {
      const kind = loop.kind === 'alternating' ? 1 : loop.kind === 'backward' ? 2 : 0
      put
        .u32(i)
        .u32(kind)
        .u32(loop.startFrame)
        .u32(loop.endFrame - 1)
        .u32(0)
        .u32(loop.plays)
    })
    parts.push(chunk)
  }
  return concat(parts)
}

function labelChunk(cue: number, label: string): Uint8Array {
  const text = latin(label)
  const size = 4 + text.length + 1
  const chunk = new Uint8Array(8 + size + (size & 1))
  writerOver(chunk).id('labl').u32(size).u32(cue).bytes(text)
  return chunk
}
