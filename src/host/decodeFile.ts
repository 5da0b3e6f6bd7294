import { AppError, type AudioBlock, type DecodedFile, NO_MARKERS, type Room, readWav } from '../core'
import { type Container, sniff } from './sniff'

/** A decoder that only one host has, such as the browser's own. */
export type HostDecoder = (bytes: Uint8Array, file: string) => Promise<AudioBlock>

interface Raw {
  channelData: Float32Array[]
  sampleRate: number
  errors?: readonly { message: string }[]
}

const MAX_CHANNELS = 8

/**
 * Decode a sound file of any kind that Zumbet reads, at its own rate, by what its bytes say it is. Where the length is known before
 * (WAV), the samples go straight to where `room` has them.
 * @throws {AppError} `audio/…` with the file's name, what is wrong with it, and enough to say what to do.
 */
export async function decodeFile(
  bytes: Uint8Array,
  file: string,
  hostDecoders: Partial<Record<Container, HostDecoder>> = {},
  room?: Room,
): Promise<DecodedFile> {
  const container = sniff(bytes, file)
  if (container === 'WAV') return readWav(bytes, file, room)
  const own = hostDecoders[container]
  let audio: AudioBlock
  let depth: DecodedFile['depth']
  try {
    if (own) audio = await own(bytes, file)
    else if (container === 'AIFF') ({ audio, depth } = await decodeAiff(bytes, file))
    else if (container === 'FLAC') ({ audio, depth } = await decodeFlac(bytes, file))
    else if (container === 'MP3') audio = await decodeMp3(bytes)
    else if (container === 'Ogg Vorbis') audio = await decodeVorbis(bytes, file)
    else if (container === 'Ogg Opus') audio = await decodeOpus(bytes, file)
    else throw new AppError('audio/needs-browser', { file, what: container })
  } catch (error) {
    if (error instanceof AppError) throw error
    throw new AppError('audio/unreadable', { file, why: plainReason(error) }, error)
  }
  const frames = audio.channels[0]?.length ?? 0
  if (frames === 0) throw new AppError('audio/empty', { file })
  if (audio.channels.length > MAX_CHANNELS) {
    throw new AppError('audio/unsupported', { file, what: `${audio.channels.length} channels` })
  }
  return { audio, depth, container, markers: NO_MARKERS, warnings: silenceBadSamples(audio, file) }
}

async function decodeAiff(bytes: Uint8Array, file: string) {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  let bits = 0
  let frames = 0
  let float = false
  for (let at = 12; at + 8 <= bytes.length; ) {
    const id = String.fromCharCode(...bytes.subarray(at, at + 4))
    const size = view.getUint32(at + 4)
    if (id === 'COMM' && at + 26 <= bytes.length) {
      frames = view.getUint32(at + 10)
      bits = view.getUint16(at + 14)
      float = size >= 22 && /^fl/i.test(String.fromCharCode(...bytes.subarray(at + 26, at + 30)))
    }
    at += 8 + size + (size & 1)
  }
  const { default: decode } = await import('@audio/decode-aiff')
  const raw = decode(bytes)
  const got = raw.channelData[0]?.length ?? 0
  if (got < frames) throw new AppError('audio/truncated', { file, missing: `${frames - got} of ${frames} frames` })
  return { audio: toBlock(raw), depth: { bits, float } }
}

async function decodeFlac(bytes: Uint8Array, file: string) {
  const { FLACDecoder } = await import('@wasm-audio-decoders/flac')
  const raw = await withDecoder(new FLACDecoder(), (decoder) => decoder.decodeFile(bytes))
  const bits = raw.bitDepth
  // STREAMINFO's 36-bit total, right behind the "fLaC" mark
  const start = bytes[0] === 0x66 ? 8 : -1
  const total =
    start < 0
      ? 0
      : (((bytes[start + 13] ?? 0) & 15) << 24) * 256 +
        new DataView(bytes.buffer, bytes.byteOffset + start + 14, 4).getUint32(0)
  const got = raw.channelData[0]?.length ?? 0
  if (got < total) throw new AppError('audio/truncated', { file, missing: `${total - got} of ${total} frames` })
  // the decoder divides by 2^(bits−1) − 1; the stored whole numbers come back by undoing just that
  const most = 2 ** (bits - 1)
  for (const channel of raw.channelData) {
    for (let i = 0; i < channel.length; i++) channel[i] = Math.round((channel[i] as number) * (most - 1)) / most
  }
  return { audio: toBlock(raw), depth: { bits, float: false } }
}

async function decodeMp3(bytes: Uint8Array): Promise<AudioBlock> {
  const { MPEGDecoder } = await import('mpg123-decoder')
  return toBlock(await withDecoder(new MPEGDecoder(), async (decoder) => decoder.decode(bytes)))
}

async function decodeVorbis(bytes: Uint8Array, file: string): Promise<AudioBlock> {
  needLastOggPage(bytes, file)
  const { OggVorbisDecoder } = await import('@wasm-audio-decoders/ogg-vorbis')
  return toBlock(await withDecoder(new OggVorbisDecoder(), (decoder) => decoder.decodeFile(bytes)))
}

async function decodeOpus(bytes: Uint8Array, file: string): Promise<AudioBlock> {
  const lastPage = needLastOggPage(bytes, file)
  const { OggOpusDecoder } = await import('ogg-opus-decoder')
  const audio = toBlock(await withDecoder(new OggOpusDecoder(), (decoder) => decoder.decodeFile(bytes)))
  // the decoder drops the codec's run-in but keeps its run-out: the last page's place says where the sound ends
  const runIn = (bytes[38] ?? 0) | ((bytes[39] ?? 0) << 8)
  const frames = Number(new DataView(bytes.buffer, bytes.byteOffset + lastPage + 6, 8).getBigInt64(0, true)) - runIn
  if (!(frames > 0 && frames < (audio.channels[0]?.length ?? 0))) return audio
  return { ...audio, channels: audio.channels.map((channel) => channel.slice(0, frames)) }
}

async function withDecoder<D extends { ready: Promise<void>; free(): void }>(
  decoder: D,
  work: (decoder: D) => Promise<Raw & { bitDepth?: number }>,
): Promise<Raw & { bitDepth: number }> {
  await decoder.ready
  try {
    const raw = await work(decoder)
    if ((raw.channelData[0]?.length ?? 0) === 0 && raw.errors && raw.errors.length > 0) {
      throw new Error(raw.errors[0]?.message ?? 'no frame could be decoded')
    }
    return { ...raw, bitDepth: raw.bitDepth ?? 0 }
  } finally {
    decoder.free()
  }
}

/** A whole Ogg stream ends with a page that says so; returns where that page starts. */
function needLastOggPage(bytes: Uint8Array, file: string): number {
  for (let at = bytes.length - 27; at >= 0; at--) {
    if (bytes[at] === 0x4f && bytes[at + 1] === 0x67 && bytes[at + 2] === 0x67 && bytes[at + 3] === 0x53) {
      if (((bytes[at + 5] ?? 0) & 4) === 0) throw new AppError('audio/truncated', { file, missing: 'its last pages' })
      const segments = bytes[at + 26] ?? 0
      let size = 27 + segments
      for (let i = 0; i < segments; i++) size += bytes[at + 27 + i] ?? 0
      if (at + size > bytes.length) throw new AppError('audio/truncated', { file, missing: 'parts of its last page' })
      return at
    }
  }
  throw new AppError('audio/truncated', { file, missing: 'its pages' })
}

function toBlock(raw: Raw): AudioBlock {
  return { sampleRate: raw.sampleRate, channels: raw.channelData }
}

function silenceBadSamples(audio: AudioBlock, file: string) {
  let samples = 0
  for (const channel of audio.channels) {
    for (let i = 0; i < channel.length; i++) {
      if (!Number.isFinite(channel[i])) {
        channel[i] = 0
        samples++
      }
    }
  }
  return samples > 0 ? [{ code: 'audio/not-finite', details: { file, samples } }] : []
}

function plainReason(error: unknown): string {
  const text = error instanceof Error ? error.message : String(error)
  return text.split('\n')[0]?.replace(/\.$/, '') || 'its content makes no sense'
}
