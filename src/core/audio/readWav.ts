import { AppError } from '../errors'
import type { Markers } from './block'
import { type ByteSource, bytesInMemory, type Chunk, chunksOf, createHeaderReader } from './byteSource'
import { type DecodedFile, openPcm, type PcmCoding, type PcmFile, type Room, readPcm } from './pcm'
import { LOOP_CHUNK, readLoopChunk } from './wavFields'

const PCM = 1
const FLOAT = 3
const A_LAW = 6
const MU_LAW = 7
const EXTENSIBLE = 0xfffe
const LOOP_KINDS = ['forward', 'alternating', 'backward'] as const
/** what a size says that a streaming writer could not fill in */
const OPEN = 0xffffffff

/**
 * A WAV file is read: 8 to 32-bit integers, 32 and 64-bit float, µ-law, A-law; plain or extensible header; RIFF,
 * RF64 or BW64; 1–8 channels at 1 to 768 kHz. Cue points, labels, sampler loops and the tempo of loops are kept.
 * Integers are divided by 2^(bits−1). Samples that are no numbers become 0 and are counted in a warning.
 * A damaged chunk behind the sound loses what it says, never the sound.
 * Sizes of 0 or 2³²−1, left by streaming writers, go to the end of the file.
 * Source  Microsoft/IBM RIFF MCI 1991; Microsoft "Multiple Channel Audio Data and WAVE Files";
 *         EBU Tech 3306; ITU-R BS.2088.
 * @param room  where the samples go.
 * @throws {AppError} `audio/…` with `file`: truncated, empty, unsupported, unreadable, rate, channels.
 */
export function readWav(bytes: Uint8Array, file: string, room?: Room): DecodedFile {
  return readPcm(openWav(bytesInMemory(bytes), file), file, room)
}

/** As `readWav`, but nothing of the sound is read yet. */
export function openWav(bytes: ByteSource, file: string): PcmFile {
  const { u16, u32, u64, text } = createHeaderReader(bytes, true)
  const truncated = (missing: string) => new AppError('audio/truncated', { file, missing })
  if (bytes.length < 12) throw truncated('its header')

  let fmt: Chunk | undefined
  let data: Chunk | undefined
  let cues: Chunk | undefined
  let sampler: Chunk | undefined
  let loop: Chunk | undefined
  const labels = new Map<number, string>()
  let longDataSize: number | undefined

  const sizeOf = (chunk: Chunk) => {
    if (chunk.id !== 'data') return chunk.size
    if (chunk.size === OPEN && longDataSize !== undefined) return longDataSize
    // a size of 0 with a chunk right behind it is no size that was left open
    const open = chunk.size === OPEN || (chunk.size === 0 && chunk.left > 0 && !isChunk(chunk.at))
    return open ? chunk.left : chunk.size
  }
  const isChunk = (at: number) => /^[\x20-\x7e]{4}$/.test(text(at, 4)) && u32(at + 4) <= bytes.length - at - 8

  for (const chunk of chunksOf(bytes, 12, 8, true, sizeOf)) {
    const { id, at, size, left } = chunk
    if (id === 'ds64' && left >= 16) longDataSize = u64(at + 8)
    if (size > left) {
      if (id === 'data') throw truncated(`${size - left} of ${size} bytes of sound`)
      if (!data || !fmt) throw truncated(`part of its "${id.replace(/[^ -~]/g, '?')}" chunk`)
      break
    }
    if (id === 'data') data ??= chunk
    if (id === 'fmt ') fmt ??= chunk
    if (id === 'cue ') cues = chunk
    if (id === 'smpl') sampler = chunk
    if (id === LOOP_CHUNK) loop = chunk
    if (id === 'LIST' && text(at, 4) === 'adtl') readLabels(at + 4, at + size)
  }
  if (!fmt || fmt.size < 16) throw truncated('its format chunk')
  if (!data) throw truncated('its sound data')

  const tag = u16(fmt.at) === EXTENSIBLE && fmt.size >= 40 ? u16(fmt.at + 24) : u16(fmt.at)
  const channelCount = u16(fmt.at + 2)
  const sampleRate = u32(fmt.at + 4)
  const blockAlign = u16(fmt.at + 12)
  const bits = u16(fmt.at + 14)
  const coding = codingOf(tag, bits, channelCount > 0 ? blockAlign / channelCount : 0)
  if (!coding) throw new AppError('audio/unsupported', { file, what: `WAV coding ${tag} with ${bits} bits` })
  const own = coding.bytes * channelCount
  return openPcm(
    bytes,
    {
      coding,
      at: data.at,
      size: data.size,
      frameBytes: Math.max(own, blockAlign),
      channelCount,
      sampleRate,
      bits,
      container: 'WAV',
      markers: (frames) => ({ cues: readCues(frames), ...readTempo(), ...readSampler(frames) }),
    },
    file,
  )

  function readLabels(start: number, end: number) {
    for (let at = start; at + 12 <= end && labels.size < MOST_MARKS; ) {
      const size = u32(at + 4)
      if (text(at, 4) === 'labl' && size > 4 && at + 8 + size <= end) {
        const [label] = text(at + 12, size - 4).split('\0')
        labels.set(u32(at + 8), label ?? '')
      }
      at += 8 + size + (size & 1)
    }
  }

  function readTempo(): Pick<Markers, 'tempo' | 'rootNote'> {
    return loop ? readLoopChunk(bytes.read(loop.at, Math.min(loop.size, 64))) : {}
  }

  function readCues(frames: number): Markers['cues'] {
    if (!cues) return []
    return entries(cues, u32(cues.at), 4, 24)
      .map((at) => ({ frame: u32(at + 20), label: labels.get(u32(at)) ?? '' }))
      .filter((cue) => cue.frame <= frames)
  }

  function readSampler(frames: number): Pick<Markers, 'loops' | 'rootNote'> {
    if (!sampler || sampler.size < 36) return { loops: [] }
    const loops = entries(sampler, u32(sampler.at + 28), 36, 24)
      .map((at) => ({
        kind: LOOP_KINDS[u32(at + 4)] ?? 'forward',
        startFrame: u32(at + 8),
        endFrame: u32(at + 12) + 1,
        plays: u32(at + 20),
      }))
      .filter((loop) => loop.endFrame <= frames && loop.startFrame < loop.endFrame)
    const rootNote = u32(sampler.at + 12)
    return { loops, ...(rootNote <= 127 && { rootNote }) }
  }
}

/** so many marks nobody set by hand */
const MOST_MARKS = 100_000

/** Where the entries of a table begin, as many as its chunk can hold. */
function entries({ at, size }: Chunk, said: number, header: number, each: number): number[] {
  const count = Math.max(0, Math.min(said, Math.floor((size - header) / each), MOST_MARKS))
  return Array.from({ length: count }, (_, i) => at + header + i * each)
}

/**
 * How samples lie there. A frame may have more room for each than its bits need: whole numbers then fill it from the
 * top.
 * @param room  bytes that a frame has for each channel.
 */
function codingOf(tag: number, bits: number, room: number): PcmCoding | undefined {
  const littleEndian = true
  if (tag === FLOAT && (bits === 32 || bits === 64)) return { kind: 'float', bytes: bits / 8, littleEndian }
  if (tag === MU_LAW && bits === 8) return { kind: 'µ-law', bytes: 1, littleEndian }
  if (tag === A_LAW && bits === 8) return { kind: 'A-law', bytes: 1, littleEndian }
  if (tag !== PCM || bits < 1 || bits > 32) return undefined
  const least = Math.ceil(bits / 8)
  const bytes = Number.isInteger(room) && room > least && room <= 4 ? room : least
  return { kind: bytes === 1 ? 'unsigned' : 'signed', bytes, littleEndian }
}
