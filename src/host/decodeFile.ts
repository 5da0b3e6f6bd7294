import {
  AppError,
  type AudioBlock,
  bytesInMemory,
  checkSound,
  type DecodedFile,
  type Markers,
  NO_MARKERS,
  type PackedAiff,
  type Room,
  readPcm,
} from '../core'
import { markersFromFields } from './encode/fields'
import { mp3Frames } from './mp3Frames'
import { mp4Fields } from './mp4Fields'
import { type OggPages, oggPages } from './oggPages'
import { checkPacked, openKind } from './pcmFile'
import { quietly } from './quietly'
import { type Container, sniff } from './sniff'
import { taggedFields } from './taggedTempo'

/** A decoder that only one host has, such as the browser's own. */
export type HostDecoder = (bytes: Uint8Array, file: string) => Promise<AudioBlock>

interface Raw {
  channelData: Float32Array[]
  sampleRate: number
  errors?: readonly { message: string }[]
}

interface Decoded {
  readonly audio: AudioBlock
  readonly depth?: DecodedFile['depth']
  readonly warnings?: DecodedFile['warnings']
}

/**
 * A sound file of any kind is decoded at its own rate, by what its bytes say it is. Plain samples (WAV, AIFF, CAF)
 * go straight to where `room` has them. MP3, Vorbis and Opus that decode only in part come in with a warning.
 * Others do not come in then.
 * @throws {AppError} `audio/…` with the file's name, what is wrong with it, and enough to say what to do.
 */
export async function decodeFile(
  bytes: Uint8Array,
  file: string,
  hostDecoders: Partial<Record<Container, HostDecoder>> = {},
  room?: Room,
): Promise<DecodedFile> {
  const container = sniff(bytes, file)
  const opened = openKind(container, bytesInMemory(bytes), file)
  if (opened && 'source' in opened) return readPcm(opened, file, room)
  const decoded = await quietly(() => decode(container, bytes, file, hostDecoders[container], opened)).catch(
    (error) => {
      if (error instanceof AppError) throw error
      // what a decoder says of itself helps nobody
      throw new AppError('audio/unreadable', { file, why: 'its sound data is damaged' }, error)
    },
  )
  const { audio, depth, warnings = [] } = decoded
  if ((audio.channels[0]?.length ?? 0) === 0) throw new AppError('audio/empty', { file })
  checkSound({ sampleRate: audio.sampleRate, channelCount: audio.channels.length }, file)
  return {
    audio,
    depth,
    container,
    markers: await markersOf(bytes, container, audio.channels[0]?.length ?? 0),
    warnings: [...warnings, ...silenceBadSamples(audio, file)],
  }
}

const MARK = /CHAPTER\d|LOOPSTART|ROOT_NOTE|BPM=|TXXX/
const HEAD_BYTES = 2 ** 20
const headText = (bytes: Uint8Array) => new TextDecoder('latin1').decode(bytes.subarray(0, HEAD_BYTES))

const MARKED: readonly Container[] = ['FLAC', 'MP3', 'Ogg Opus', 'Ogg Vorbis']

/** The marks that a coded file carries in its fields. */
async function markersOf(bytes: Uint8Array, container: Container, frames: number): Promise<Markers> {
  if (container === 'M4A') return markersFromFields(mp4Fields(bytesInMemory(bytes)), frames)
  // reading tags takes longer than decoding a short sound: most files have no marks
  if (!MARKED.includes(container) || !MARK.test(headText(bytes))) return NO_MARKERS
  return markersFromFields(await taggedFields(bytesInMemory(bytes)), frames)
}

async function decode(
  container: Container,
  bytes: Uint8Array,
  file: string,
  own: HostDecoder | undefined,
  packed: PackedAiff | undefined,
): Promise<Decoded> {
  if (own) return { audio: await own(bytes, file) }
  if (packed) return decodePacked(packed, bytes, file)
  if (container === 'FLAC') return decodeFlac(bytes, file)
  if (container === 'MP3') return decodeMp3(bytes, file)
  if (container === 'Ogg Vorbis') return decodeVorbis(bytes, file)
  if (container === 'Ogg Opus') return decodeOpus(bytes, file)
  throw new AppError('audio/needs-browser', { file, what: container })
}

async function decodePacked(packed: PackedAiff, bytes: Uint8Array, file: string): Promise<Decoded> {
  checkSound(packed, file)
  checkPacked(packed, file)
  const { default: decodeAiff } = await import('@audio/decode-aiff')
  const raw: Raw = decodeAiff(bytes)
  return { audio: toBlock(raw), depth: { bits: 16, float: false } }
}

async function decodeFlac(bytes: Uint8Array, file: string): Promise<Decoded> {
  const { FLACDecoder } = await import('@wasm-audio-decoders/flac')
  const raw = await withDecoder(new FLACDecoder(), (decoder) => decoder.decodeFile(bytes))
  const bits = raw.bitDepth
  // STREAMINFO's 36-bit total, right behind the "fLaC" mark
  const start = bytes[0] === 0x66 && bytes.length >= 26 ? 8 : -1
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

const partial = (file: string, missing: string): DecodedFile['warnings'] => [
  { code: 'audio/partial', details: { file, missing } },
]
const secondsText = (frames: number, rate: number) => `${(frames / rate).toFixed(2)} s`

/** a decoder may keep back the run-in of a coding, and does */
const MP3_KEPT_BACK = 1152 * 2 + 1105

async function decodeMp3(bytes: Uint8Array, file: string): Promise<Decoded> {
  const { MPEGDecoder } = await import('mpg123-decoder')
  const both = toBlock(await withDecoder(new MPEGDecoder(), async (decoder) => decoder.decode(bytes)))
  const frames = mp3Frames(bytes)
  // the decoder gives one channel twice
  const audio = frames?.mono ? { ...both, channels: both.channels.slice(0, 1) } : both
  const got = audio.channels[0]?.length ?? 0
  if (!frames || got === 0) return { audio }
  const { said, found, strangeBytes, sampleRate } = frames
  const meant = Math.max(said ?? 0, found)
  const lacks = meant - got
  if (lacks > MP3_KEPT_BACK)
    return { audio, warnings: partial(file, `${secondsText(lacks, sampleRate)} of ${secondsText(meant, sampleRate)}`) }
  // a byte here and there behind the last frame is padding
  if (strangeBytes > LOOSE_BYTES && found > 0)
    return {
      audio,
      warnings: partial(file, `what was in ${strangeBytes} damaged bytes of ${bytes.length}`),
    }
  return { audio }
}

/** so much between coding frames was put there by no accident */
const LOOSE_BYTES = 2048

async function decodeVorbis(bytes: Uint8Array, file: string): Promise<Decoded> {
  const { OggVorbisDecoder } = await import('@wasm-audio-decoders/ogg-vorbis')
  const audio = toBlock(await withDecoder(new OggVorbisDecoder(), (decoder) => decoder.decodeFile(bytes)))
  return { audio, warnings: oggWarnings(oggPages(bytes), audio, 0, audio.sampleRate, file) }
}

const OPUS_RATE = 48_000

async function decodeOpus(bytes: Uint8Array, file: string): Promise<Decoded> {
  const { OggOpusDecoder } = await import('ogg-opus-decoder')
  const audio = toBlock(await withDecoder(new OggOpusDecoder(), (decoder) => decoder.decodeFile(bytes)))
  // the decoder drops the codec's run-in but keeps its run-out: the last page's place says where the sound ends
  const runIn = (bytes[38] ?? 0) | ((bytes[39] ?? 0) << 8)
  const pages = oggPages(bytes)
  const warnings = oggWarnings(pages, audio, runIn, OPUS_RATE, file)
  const { lastFrame, ended } = pages
  const frames = (lastFrame ?? 0) - runIn
  if (!(ended && frames > 0 && frames < (audio.channels[0]?.length ?? 0))) return { audio, warnings }
  return { audio: { ...audio, channels: audio.channels.map((channel) => channel.slice(0, frames)) }, warnings }
}

/** less than a coding frame is no loss: it may have been kept back at the start */
const OGG_KEPT_BACK = 4096

/** What of an Ogg file did not come in. */
function oggWarnings(
  { lastFrame, ended, damaged, pages }: OggPages,
  audio: AudioBlock,
  runIn: number,
  rate: number,
  file: string,
): DecodedFile['warnings'] {
  const got = audio.channels[0]?.length ?? 0
  if (got === 0) return []
  const meant = Math.max(0, (lastFrame ?? 0) - runIn)
  const all = pages + damaged
  if (!ended)
    return partial(file, `its end, behind ${secondsText(got, rate)}; how much that was the file no longer says`)
  if (meant - got > OGG_KEPT_BACK)
    return partial(file, `${secondsText(meant - got, rate)} of ${secondsText(meant, rate)}`)
  if (damaged > 0) return partial(file, `what was in ${damaged} damaged ${damaged === 1 ? 'page' : 'pages'} of ${all}`)
  return []
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

/** Channels of one length: a decoder that stumbled may leave one behind. */
function toBlock(raw: Raw): AudioBlock {
  const frames = Math.min(...raw.channelData.map((channel) => channel.length))
  const channels = raw.channelData.map((channel) => (channel.length > frames ? channel.slice(0, frames) : channel))
  return { sampleRate: raw.sampleRate, channels }
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
