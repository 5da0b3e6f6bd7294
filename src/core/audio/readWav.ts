import { AppError } from '../errors'
import { type AudioBlock, type Markers, silence } from './block'
import type { SoundSource } from './soundSource'

/** A decoded sound file with what its header said. */
export interface DecodedFile {
  readonly audio: AudioBlock
  readonly markers: Markers
  readonly container: string
  /** bits per stored sample; 32 with `float` is 32-bit float; undefined where the format has none (MP3, Ogg, M4A) */
  readonly depth: { readonly bits: number; readonly float: boolean } | undefined
  readonly warnings: readonly { readonly code: string; readonly details: Record<string, string | number> }[]
}

/** Bytes that are read a part at a time, such as a long file's; a part beyond the end is cut. */
export interface ByteSource {
  readonly length: number
  read(at: number, count: number): Uint8Array
}

/** A WAV file whose sound is read where it is asked for. */
export interface WavFile extends Omit<DecodedFile, 'audio' | 'warnings'> {
  readonly source: SoundSource
  /** Read frames from `from` on, as many as the channels hold; returns how many samples were not finite, and are 0. */
  readInto(channels: readonly Float32Array[], from: number): number
}

/** Makes the array that a channel's samples go into: a long sound lies there at once, and not first somewhere else. */
export type Room = (frames: number) => Float32Array

const ownRoom: Room = (frames) => new Float32Array(frames)

/** frames that are read from the file at a time */
const BLOCK_FRAMES = 1 << 16

const PCM = 1
const FLOAT = 3
const EXTENSIBLE = 0xfffe
const MAX_CHANNELS = 8
const LOOP_KINDS = ['forward', 'alternating', 'backward'] as const

/**
 * Read a WAV file: 8, 16, 24 and 32-bit integer, 32 and 64-bit float, plain or extensible header, RIFF or RF64,
 * 1–8 channels, any rate; cue points with their labels and sampler loops are kept. Whole numbers are divided by
 * 2^(bits−1); samples that are not finite become 0 and are counted in a warning. Chunk sizes of 0 or 2³²−1 that a
 * streaming writer left behind mean "to the end of the file".
 * Source  Microsoft/IBM RIFF MCI 1991; Microsoft "Multiple Channel Audio Data and WAVE Files"; EBU Tech 3306.
 * @param room  where the samples go.
 * @throws {AppError} `audio/truncated`, `audio/empty`, `audio/unsupported`, `audio/unreadable`, each with `file`.
 */
export function readWav(bytes: Uint8Array, file: string, room: Room = ownRoom): DecodedFile {
  const { source, readInto, ...rest } = openWav(bytesInMemory(bytes), file)
  const channels = Array.from({ length: source.channelCount }, () => room(source.frames))
  const samples = readInto(channels, 0)
  const warnings = samples > 0 ? [{ code: 'audio/not-finite', details: { file, samples } }] : []
  return { ...rest, audio: { sampleRate: source.sampleRate, channels }, warnings }
}

/** As `readWav`, but nothing of the sound is read yet. */
export function openWav(bytes: ByteSource, file: string): WavFile {
  const id = (at: number) => String.fromCharCode(...bytes.read(at, 4))
  const u32 = (at: number) => viewOf(bytes.read(at, 4)).getUint32(0, true)
  const truncated = (missing: string) => new AppError('audio/truncated', { file, missing })
  if (bytes.length < 12) throw truncated('its header')

  let fmt: { at: number; size: number } | undefined
  let data: { at: number; size: number } | undefined
  let cueAt = -1
  let samplerAt = -1
  const labels = new Map<number, string>()
  let longDataSize: number | undefined

  for (let at = 12; at + 8 <= bytes.length; ) {
    const name = id(at)
    let size = u32(at + 4)
    const body = at + 8
    const left = bytes.length - body
    if (name === 'ds64' && left >= 16) longDataSize = Number(viewOf(bytes.read(body + 8, 8)).getBigUint64(0, true))
    if (name === 'data') {
      if (size === 0xffffffff && longDataSize !== undefined) size = longDataSize
      const open = size === 0xffffffff || (size === 0 && left > 0)
      if (open) size = left
      if (size > left) throw truncated(`${size - left} of ${size} bytes of sound`)
      data = { at: body, size }
    } else if (size > left) {
      // a damaged chunk after the sound loses its marks, never the sound
      if (!data || !fmt) throw truncated(`part of its "${name.replace(/[^ -~]/g, '?')}" chunk`)
      break
    }
    if (name === 'fmt ') fmt = { at: body, size }
    if (name === 'cue ') cueAt = body
    if (name === 'smpl') samplerAt = body
    if (name === 'LIST' && id(body) === 'adtl') readLabels(body + 4, body + size)
    at = body + size + (size & 1)
  }
  if (!fmt || fmt.size < 16) throw truncated('its format chunk')
  if (!data) throw truncated('its sound data')

  const format = viewOf(bytes.read(fmt.at, Math.min(40, fmt.size)))
  let tag = format.getUint16(0, true)
  const channelCount = format.getUint16(2, true)
  const sampleRate = format.getUint32(4, true)
  const bits = format.getUint16(14, true)
  if (tag === EXTENSIBLE && fmt.size >= 40) tag = format.getUint16(24, true)
  const float = tag === FLOAT
  const known = tag === PCM ? [8, 16, 24, 32].includes(bits) : float && [32, 64].includes(bits)
  if (!known) throw new AppError('audio/unsupported', { file, what: `WAV coding ${tag} with ${bits} bits` })
  if (channelCount < 1 || channelCount > MAX_CHANNELS) {
    throw new AppError('audio/unsupported', { file, what: `${channelCount} channels` })
  }
  if (sampleRate < 1) throw new AppError('audio/unreadable', { file, why: 'its header gives no sample rate' })
  const size = bits / 8
  const frames = Math.floor(data.size / (size * channelCount))
  if (frames === 0) throw new AppError('audio/empty', { file })

  const soundAt = data.at
  const frameBytes = size * channelCount
  const readInto = (channels: readonly Float32Array[], from: number) => {
    const length = channels[0]?.length ?? 0
    let notFinite = 0
    for (let done = 0; done < length; done += BLOCK_FRAMES) {
      const count = Math.min(BLOCK_FRAMES, length - done)
      const block = bytes.read(soundAt + (from + done) * frameBytes, count * frameBytes)
      channels.forEach((channel, c) => {
        notFinite += convert(block, c * size, frameBytes, bits, float, channel.subarray(done, done + count))
      })
    }
    return notFinite
  }
  const part = (from: number, to: number) => {
    const channels = silence(channelCount, to - from)
    readInto(channels, from)
    return { sampleRate, channels }
  }

  return {
    source: { sampleRate, channelCount, frames, part },
    readInto,
    markers: { cues: readCues(), ...readSampler() },
    container: 'WAV',
    depth: { bits, float },
  }

  function readLabels(start: number, end: number) {
    for (let at = start; at + 12 <= end; ) {
      const size = u32(at + 4)
      if (id(at) === 'labl' && size > 4 && at + 8 + size <= end) {
        const text = bytes.read(at + 12, size - 4)
        const zero = text.indexOf(0)
        labels.set(u32(at + 8), latin(zero < 0 ? text : text.subarray(0, zero)))
      }
      at += 8 + size + (size & 1)
    }
  }

  function readCues() {
    if (cueAt < 0) return []
    const count = Math.min(u32(cueAt), Math.floor((bytes.length - cueAt - 4) / 24))
    return Array.from({ length: count }, (_, i) => {
      const at = cueAt + 4 + i * 24
      return { frame: u32(at + 20), label: labels.get(u32(at)) ?? '' }
    }).filter((cue) => cue.frame <= frames)
  }

  function readSampler(): Pick<Markers, 'loops' | 'rootNote'> {
    if (samplerAt < 0 || samplerAt + 36 > bytes.length) return { loops: [] }
    const count = Math.min(u32(samplerAt + 28), Math.floor((bytes.length - samplerAt - 36) / 24))
    const loops = Array.from({ length: count }, (_, i) => {
      const at = samplerAt + 36 + i * 24
      return {
        kind: LOOP_KINDS[u32(at + 4)] ?? 'forward',
        startFrame: u32(at + 8),
        endFrame: u32(at + 12) + 1,
        plays: u32(at + 20),
      }
    }).filter((loop) => loop.endFrame <= frames && loop.startFrame < loop.endFrame)
    const rootNote = u32(samplerAt + 12)
    return { loops, ...(rootNote <= 127 && { rootNote }) }
  }
}

/** One channel's samples out of interleaved bytes; returns how many were not finite, and are 0. */
function convert(
  bytes: Uint8Array,
  first: number,
  step: number,
  bits: number,
  float: boolean,
  out: Float32Array,
): number {
  const view = viewOf(bytes)
  const frames = out.length
  let notFinite = 0
  let at = first
  if (float) {
    for (let i = 0; i < frames; i++, at += step) {
      const value = bits === 32 ? view.getFloat32(at, true) : view.getFloat64(at, true)
      if (Number.isFinite(value)) out[i] = value
      else notFinite++
    }
  } else if (bits === 16) for (let i = 0; i < frames; i++, at += step) out[i] = view.getInt16(at, true) / 2 ** 15
  else if (bits === 24) {
    for (let i = 0; i < frames; i++, at += step) {
      const low = (bytes[at] as number) | ((bytes[at + 1] as number) << 8)
      out[i] = (low | (view.getInt8(at + 2) << 16)) / 2 ** 23
    }
  } else if (bits === 32) for (let i = 0; i < frames; i++, at += step) out[i] = view.getInt32(at, true) / 2 ** 31
  else for (let i = 0; i < frames; i++, at += step) out[i] = ((bytes[at] as number) - 128) / 128
  return notFinite
}

const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)

/** Bytes that are all there. */
export const bytesInMemory = (bytes: Uint8Array): ByteSource => ({
  length: bytes.length,
  read: (at, count) => bytes.subarray(at, at + count),
})

/** Bytes as text, one character each: labels have no declared coding, and this loses none of them. */
function latin(bytes: Uint8Array): string {
  let text = ''
  for (const byte of bytes) text += String.fromCharCode(byte)
  return text
}
