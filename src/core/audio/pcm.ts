import { AppError } from '../errors'
import { type Markers, silence } from './block'
import type { ByteSource } from './byteSource'
import type { SoundSource } from './soundSource'

/** A decoded sound file with what its header said. */
export interface DecodedFile {
  readonly audio: { readonly sampleRate: number; readonly channels: readonly Float32Array[] }
  readonly markers: Markers
  readonly container: string
  /** bits per stored sample; 32 with `float` is 32-bit float; undefined where the format has none (MP3, Ogg, M4A) */
  readonly depth: { readonly bits: number; readonly float: boolean } | undefined
  readonly warnings: readonly { readonly code: string; readonly details: Record<string, string | number> }[]
}

/** A file of plain samples, which are read where they are asked for. */
export interface PcmFile extends Omit<DecodedFile, 'audio' | 'warnings'> {
  readonly source: SoundSource
  /** whether its samples may be no numbers */
  readonly mayBeStrange: boolean
  /** Read frames from `from` on, as many as the channels hold; returns how many samples were no numbers, and are 0. */
  readInto(channels: readonly Float32Array[], from: number): number
}

/** Makes the array that a channel's samples go into: a long sound lies there at once, and not first somewhere else. */
export type Room = (frames: number) => Float32Array

const ownRoom: Room = (frames) => new Float32Array(frames)

/** How one sample lies in a file. Whole numbers fill their bytes from the top, as every format of this kind has it. */
export interface PcmCoding {
  readonly kind: 'signed' | 'unsigned' | 'float' | 'µ-law' | 'A-law'
  /** of one sample, as it lies there: 1–4; 4 or 8 for float */
  readonly bytes: number
  readonly littleEndian: boolean
}

export interface PcmLayout {
  readonly coding: PcmCoding
  /** where the sound begins, and how many bytes of it there are */
  readonly at: number
  readonly size: number
  /** bytes from one frame to the next */
  readonly frameBytes: number
  readonly channelCount: number
  readonly sampleRate: number
  /** fewer than fit into `size`, where the header says so */
  readonly frames?: number
  /** as the header says */
  readonly bits: number
  readonly container: string
  /** of frames that are there */
  readonly markers: (frames: number) => Markers
}

/** Rates of sounds that are worked with, Hz. They need not be whole. */
export const SAMPLE_RATE_RANGE = { min: 1000, max: 768_000 } as const

const MAX_CHANNELS = 8

/** frames that are read from the file at a time */
const BLOCK_FRAMES = 1 << 16

/**
 * Rates and channels that can be worked with.
 * @throws {AppError} `audio/rate`, `audio/channels`, `audio/unreadable`, with `file`.
 */
export function checkSound({ sampleRate, channelCount }: { sampleRate: number; channelCount: number }, file: string) {
  if (!Number.isFinite(sampleRate))
    throw new AppError('audio/unreadable', { file, why: 'its header gives no sample rate' })
  if (!(sampleRate >= SAMPLE_RATE_RANGE.min && sampleRate <= SAMPLE_RATE_RANGE.max))
    throw new AppError('audio/rate', { file, rate: String(Number(sampleRate.toPrecision(8))), ...SAMPLE_RATE_RANGE })
  if (!(channelCount >= 1 && channelCount <= MAX_CHANNELS))
    throw new AppError('audio/channels', { file, channels: channelCount, most: MAX_CHANNELS })
}

/**
 * Open plain samples in a file by what its header said of them.
 * @throws {AppError} `audio/rate`, `audio/channels`, `audio/empty`, `audio/unreadable`, with `file`.
 */
export function openPcm(bytes: ByteSource, layout: PcmLayout, file: string): PcmFile {
  const { coding, at: soundAt, size, frameBytes, channelCount, sampleRate, bits, container } = layout
  checkSound(layout, file)
  if (frameBytes < coding.bytes * channelCount)
    throw new AppError('audio/unreadable', { file, why: 'its header contradicts itself about the size of a sample' })
  const fits = Math.floor((size + frameBytes - coding.bytes * channelCount) / frameBytes)
  const frames = Math.min(fits, layout.frames ?? fits)
  if (!(frames > 0)) throw new AppError('audio/empty', { file })

  const readInto = (channels: readonly Float32Array[], from: number) => {
    const length = channels[0]?.length ?? 0
    let strange = 0
    for (let done = 0; done < length; done += BLOCK_FRAMES) {
      const count = Math.min(BLOCK_FRAMES, length - done)
      const wanted = count * frameBytes
      let block = bytes.read(soundAt + (from + done) * frameBytes, wanted)
      // the last frame need not have the bytes that lie between frames
      if (block.length < wanted) {
        const whole = new Uint8Array(wanted)
        whole.set(block)
        block = whole
      }
      channels.forEach((channel, c) => {
        strange += convert(block, c * coding.bytes, frameBytes, coding, channel.subarray(done, done + count))
      })
    }
    return strange
  }
  const part = (from: number, to: number) => {
    const channels = silence(channelCount, to - from)
    readInto(channels, from)
    return { sampleRate, channels }
  }
  const ahead =
    bytes.ahead &&
    ((from: number, to: number) => {
      const there = bytes.ahead?.(soundAt + from * frameBytes, (to - from) * frameBytes) ?? 0
      return Math.floor(there / frameBytes)
    })
  return {
    source: { sampleRate, channelCount, frames, ...(ahead && { ahead }), part },
    readInto,
    mayBeStrange: coding.kind === 'float',
    markers: layout.markers(frames),
    container,
    depth: { bits, float: coding.kind === 'float' },
  }
}

/** All of such a file at once; samples that were no numbers are told of. */
export function readPcm({ source, readInto, ...rest }: PcmFile, file: string, room: Room = ownRoom): DecodedFile {
  const channels = Array.from({ length: source.channelCount }, () => room(source.frames))
  const samples = readInto(channels, 0)
  const { markers, container, depth } = rest
  const warnings = samples > 0 ? [{ code: 'audio/not-finite', details: { file, samples } }] : []
  return { markers, container, depth, audio: { sampleRate: source.sampleRate, channels }, warnings }
}

/** One channel out of interleaved bytes. Returns how many samples were no 32-bit numbers; those are 0. */
function convert(bytes: Uint8Array, first: number, step: number, coding: PcmCoding, out: Float32Array): number {
  const { kind, bytes: size, littleEndian: little } = coding
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const frames = out.length
  let strange = 0
  let at = first
  if (kind === 'float') {
    for (let i = 0; i < frames; i++, at += step) {
      out[i] = size === 4 ? view.getFloat32(at, little) : view.getFloat64(at, little)
      if (Number.isFinite(out[i])) continue
      out[i] = 0
      strange++
    }
  } else if (kind === 'µ-law' || kind === 'A-law') {
    const table = kind === 'µ-law' ? MU_LAW : A_LAW
    for (let i = 0; i < frames; i++, at += step) out[i] = table[bytes[at] as number] as number
  } else if (size === 1) {
    const offset = kind === 'unsigned' ? 128 : 0
    for (let i = 0; i < frames; i++, at += step)
      out[i] = offset ? ((bytes[at] as number) - offset) / 128 : view.getInt8(at) / 128
  } else if (size === 2) for (let i = 0; i < frames; i++, at += step) out[i] = view.getInt16(at, little) / 2 ** 15
  else if (size === 3) {
    const [low, high] = little ? [0, 2] : [2, 0]
    // laid at the top of a word, its sign is the word's
    for (let i = 0; i < frames; i++, at += step)
      out[i] =
        (((bytes[at + low] as number) << 8) |
          ((bytes[at + 1] as number) << 16) |
          ((bytes[at + high] as number) << 24)) /
        2 ** 31
  } else for (let i = 0; i < frames; i++, at += step) out[i] = view.getInt32(at, little) / 2 ** 31
  return strange
}

/** The 256 values of each law, filled up to 16 bits. @source ITU-T G.711 (1988), tables 1 and 2. */
const MU_LAW = Float32Array.from({ length: 256 }, (_, code) => {
  const bits = ~code & 255
  const size = ((((bits & 15) << 3) + 132) << ((bits >> 4) & 7)) - 132
  return (bits & 128 ? 0 - size : size) / 2 ** 15
})

const A_LAW = Float32Array.from({ length: 256 }, (_, code) => {
  const bits = code ^ 0x55
  const segment = (bits >> 4) & 7
  const base = ((bits & 15) << 4) + 8
  const size = segment === 0 ? base : (base + 256) << (segment - 1)
  return (bits & 128 ? size : -size) / 2 ** 15
})
