import { concat, createQuantiser, type SoundWriter } from '../../core'
import { fieldsOf, vorbisComments } from './fields'
import type { SoundLayout } from './layout'

/** What is used of the encoder. */
interface Flac {
  isReady(): boolean
  onready?: () => void
  create_libflac_encoder(
    rate: number,
    channels: number,
    bits: number,
    level: number,
    frames: number,
    verify: boolean,
    blockSize: number,
  ): number
  init_encoder_stream(
    encoder: number,
    write: (bytes: Uint8Array, count: number, samples: number) => void,
    described: (facts: StreamFacts | undefined) => void,
  ): number
  FLAC__stream_encoder_process_interleaved(encoder: number, samples: Int32Array, frames: number): boolean
  FLAC__stream_encoder_finish(encoder: number): boolean
  FLAC__stream_encoder_delete(encoder: number): void
}

interface StreamFacts {
  readonly min_blocksize: number
  readonly max_blocksize: number
  readonly min_framesize: number
  readonly max_framesize: number
  readonly md5sum: string
}

const LEVEL = 5
const STREAM_INFO = 34
const COMMENTS = 4
const LAST = 0x80

/** A FLAC file of 16 or 24 bits. Its header is written last, since it says the sum of all samples. */
export async function createFlacWriter(layout: SoundLayout): Promise<SoundWriter> {
  const { sampleRate, channelCount, frames, depth, dither, seed, tags, markers } = layout
  const bits = depth === '16' ? 16 : 24
  const flac = await loaded()
  const encoder = flac.create_libflac_encoder(sampleRate, channelCount, bits, LEVEL, frames, false, 0)
  const quantiser = createQuantiser(bits === 16 ? '16' : '24', { dither, seed, sampleRate })
  const comments = vorbisComments(fieldsOf(tags, markers, sampleRate))
  let parts: Uint8Array[] = []
  let facts: StreamFacts | undefined
  const write = (bytes: Uint8Array, _count: number, samples: number) => {
    // what holds no samples is the header as it is before anything is known
    if (samples > 0) parts.push(bytes.slice())
  }
  const state =
    encoder === 0
      ? 'none'
      : flac.init_encoder_stream(encoder, write, (told) => {
          facts = told
        })
  if (state !== 0) throw new Error(`flac: no encoder for ${sampleRate} Hz, ${channelCount} channels (${state})`)

  const given = () => {
    const bytes = concat(parts)
    parts = []
    return bytes
  }
  const headerBytes = 4 + 4 + STREAM_INFO + 4 + comments.length
  return {
    headerBytes,
    encode(block, count) {
      if (!flac.FLAC__stream_encoder_process_interleaved(encoder, quantiser.wholes(block, count), count))
        throw new Error('flac: a block could not be encoded')
      return given()
    },
    finish() {
      const finished = flac.FLAC__stream_encoder_finish(encoder)
      if (!finished || !facts) throw new Error('flac: the stream could not be finished')
      const header = new Uint8Array(headerBytes)
      header.set([0x66, 0x4c, 0x61, 0x43, 0, 0, 0, STREAM_INFO])
      header.set(streamInfo(facts, { sampleRate, channelCount, bits, frames }), 8)
      header.set([LAST | COMMENTS, ...three(comments.length)], 8 + STREAM_INFO)
      header.set(comments, 12 + STREAM_INFO)
      return { header, footer: given() }
    },
    close: () => flac.FLAC__stream_encoder_delete(encoder),
    get clippedSamples() {
      return quantiser.clipped
    },
  }
}

const three = (value: number) => [value >> 16, (value >> 8) & 255, value & 255]

/** Source  RFC 9639, section 8.2. */
function streamInfo(
  facts: StreamFacts,
  {
    sampleRate,
    channelCount,
    bits,
    frames,
  }: { sampleRate: number; channelCount: number; bits: number; frames: number },
): Uint8Array {
  const bytes = new Uint8Array(STREAM_INFO)
  const view = new DataView(bytes.buffer)
  view.setUint16(0, facts.min_blocksize)
  view.setUint16(2, facts.max_blocksize)
  bytes.set(three(facts.min_framesize), 4)
  bytes.set(three(facts.max_framesize), 7)
  const packed =
    (BigInt(sampleRate) << 44n) | (BigInt(channelCount - 1) << 41n) | (BigInt(bits - 1) << 36n) | BigInt(frames)
  view.setBigUint64(10, packed)
  for (let n = 0; n < 16; n++) bytes[18 + n] = Number.parseInt(facts.md5sum.slice(2 * n, 2 * n + 2), 16)
  return bytes
}

async function loaded(): Promise<Flac> {
  // @ts-expect-error its types speak of another file
  const { default: flac } = (await import('libflacjs/dist/libflac.js')) as { default: Flac }
  if (!flac.isReady())
    await new Promise<void>((resolve) => {
      flac.onready = resolve
    })
  return flac
}
