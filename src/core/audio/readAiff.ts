import { AppError } from '../errors'
import type { Markers } from './block'
import { type ByteSource, type Chunk, chunksOf, createHeaderReader } from './byteSource'
import { openPcm, type PcmCoding, type PcmFile } from './pcm'

/** What the header of an AIFF file says of a sound that is packed. */
export interface PackedAiff {
  readonly packed: string
  /** what it can hold at most, by its size */
  readonly frames: number
  /** what it says that it holds */
  readonly said: number
  readonly sampleRate: number
  readonly channelCount: number
}

/**
 * An AIFF or AIFC file is opened: 8 to 32-bit integers of either byte order, float, µ-law, A-law. Marks, loops and the
 * root note are kept. Its header is held against its size before anything is read.
 * Source  Apple "Audio Interchange File Format" 1.3 (1989); "AIFF-C" draft (1991).
 * @returns for what is packed no more than what its header says.
 * @throws {AppError} `audio/…` with `file`: truncated, empty, unsupported, rate, channels.
 */
export function openAiff(bytes: ByteSource, file: string): PcmFile | PackedAiff {
  const { u16, u32, i16, f80, text } = createHeaderReader(bytes, false)
  const truncated = (missing: string) => new AppError('audio/truncated', { file, missing })
  if (bytes.length < 12) throw truncated('its header')
  const form = text(8, 4)
  let common: Chunk | undefined
  let sound: Chunk | undefined
  let marks: Chunk | undefined
  let instrument: Chunk | undefined
  for (const chunk of chunksOf(bytes, 12, 8, false)) {
    const { id, size, left } = chunk
    if (id === 'SSND') sound ??= chunk
    else if (size > left) {
      if (!common || !sound) throw truncated(`part of its "${id.replace(/[^ -~]/g, '?')}" chunk`)
      break
    }
    if (id === 'COMM') common ??= chunk
    if (id === 'MARK') marks = chunk
    if (id === 'INST') instrument = chunk
  }
  if (!common || common.size < 18) throw truncated('its format chunk')
  if (!sound || sound.left < 8) throw truncated('its sound data')

  const channelCount = u16(common.at)
  const said = u32(common.at + 2)
  const bits = u16(common.at + 6)
  const sampleRate = f80(common.at + 8)
  const packing = form === 'AIFC' && common.size >= 22 ? text(common.at + 18, 4) : 'NONE'
  const offset = u32(sound.at)
  const at = sound.at + 8 + offset
  const size = Math.max(0, Math.min(sound.size, sound.left) - 8 - offset)
  const packed = PACKED[packing]
  if (packed) {
    const most = Math.floor(size / (packed.bytes * Math.max(1, channelCount))) * packed.frames
    return { packed: packing, frames: most, said, sampleRate, channelCount }
  }
  const coding = codingOf(packing, bits)
  if (!coding)
    throw new AppError('audio/unsupported', { file, what: `AIFF coding ${packing.trim()} with ${bits} bits` })
  const frameBytes = coding.bytes * channelCount
  if (said * frameBytes > size && channelCount > 0) {
    const missing = said - Math.floor(size / frameBytes)
    throw truncated(`${missing} of ${said} frames`)
  }
  return openPcm(
    bytes,
    {
      coding,
      at,
      size,
      frameBytes,
      channelCount,
      sampleRate,
      // a writer that could not go back to its header left 0 there
      ...(said > 0 && { frames: said }),
      bits: coding.kind === 'float' ? coding.bytes * 8 : bits,
      container: 'AIFF',
      markers: readMarkers,
    },
    file,
  )

  function readMarkers(frames: number): Markers {
    const places = new Map<number, { frame: number; label: string }>()
    if (marks) {
      const end = marks.at + marks.size
      let place = marks.at + 2
      for (let n = u16(marks.at); n > 0 && place + 7 <= end; n--) {
        const length = u16(place + 6) >> 8
        const frame = u32(place + 2)
        if (frame <= frames)
          places.set(u16(place), { frame, label: text(place + 7, Math.min(length, end - place - 7)) })
        place += 7 + length + ((length + 1) & 1)
      }
    }
    const cues = [...places.values()]
    if (!instrument || instrument.size < 20) return { cues, loops: [] }
    const rootNote = u16(instrument.at) >> 8
    const mode = i16(instrument.at + 8)
    const start = places.get(u16(instrument.at + 10))?.frame
    const end = places.get(u16(instrument.at + 12))?.frame
    const loops =
      (mode === 1 || mode === 2) && start !== undefined && end !== undefined && start < end
        ? [
            {
              kind: mode === 1 ? ('forward' as const) : ('alternating' as const),
              startFrame: start,
              endFrame: end,
              plays: 0,
            },
          ]
        : []
    return { cues, loops, ...(rootNote <= 127 && { rootNote }) }
  }
}

/** Packings that a decoder of their own reads: so many bytes of a channel hold so many frames. */
const PACKED: Readonly<Record<string, { readonly bytes: number; readonly frames: number }>> = {
  ima4: { bytes: 34, frames: 64 },
  'GSM ': { bytes: 33, frames: 160 },
  'gsm ': { bytes: 33, frames: 160 },
}

function codingOf(packing: string, bits: number): PcmCoding | undefined {
  const whole = (littleEndian: boolean, kind: PcmCoding['kind'] = 'signed'): PcmCoding | undefined =>
    bits >= 1 && bits <= 32 ? { kind, bytes: Math.ceil(bits / 8), littleEndian } : undefined
  if (packing === 'NONE' || packing === 'twos') return whole(false)
  if (packing === 'sowt') return whole(true)
  if (packing === 'raw ' && bits <= 8) return whole(false, 'unsigned')
  if (packing === 'in24') return { kind: 'signed', bytes: 3, littleEndian: false }
  if (packing === 'in32') return { kind: 'signed', bytes: 4, littleEndian: false }
  const float = /^fl(32|64)$/i.exec(packing)
  if (float) return { kind: 'float', bytes: Number(float[1]) / 8, littleEndian: false }
  if (/^ulaw$/i.test(packing)) return { kind: 'µ-law', bytes: 1, littleEndian: false }
  if (/^alaw$/i.test(packing)) return { kind: 'A-law', bytes: 1, littleEndian: false }
  return undefined
}
