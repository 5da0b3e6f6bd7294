import { AppError } from '../errors'
import { type ByteSource, type Chunk, chunksOf, createHeaderReader } from './byteSource'
import { openPcm, type PcmCoding, type PcmFile } from './pcm'

const MARKS_HEADER = 8
const MARK_BYTES = 28

/**
 * A CAF file of plain samples is opened: 8 to 32-bit integers and float of either byte order, µ-law, A-law. Marks are
 * kept. Its header is held against its size before anything is read. A sound chunk of size −1 goes to the end.
 * Source  Apple "Core Audio Format Specification" 1.0.
 * @throws {AppError} `audio/…` with `file`: truncated, empty, unsupported, rate, channels.
 */
export function openCaf(bytes: ByteSource, file: string): PcmFile {
  const { u32, f64, text } = createHeaderReader(bytes, false)
  const truncated = (missing: string) => new AppError('audio/truncated', { file, missing })
  let description: Chunk | undefined
  let data: Chunk | undefined
  let marks: Chunk | undefined
  const sizeOf = ({ id, size, left }: Chunk) => (id === 'data' && size === -1 ? left : size)
  for (const chunk of chunksOf(bytes, 8, 12, false, sizeOf)) {
    const { id, size, left } = chunk
    if (size < 0 || size > left) {
      if (id === 'data') throw truncated(`${size - left} of ${size} bytes of sound`)
      if (!description || !data) throw truncated(`part of its "${id.replace(/[^ -~]/g, '?')}" chunk`)
      break
    }
    if (id === 'desc') description ??= chunk
    if (id === 'data') data ??= chunk
    if (id === 'mark') marks = chunk
  }
  if (!description || description.size < 32) throw truncated('its format chunk')
  if (!data || data.size < 4) throw truncated('its sound data')

  const { at } = description
  const format = text(at + 8, 4)
  const flags = u32(at + 12)
  const packetBytes = u32(at + 16)
  const channelCount = u32(at + 24)
  const bits = u32(at + 28)
  const coding = codingOf(format, flags, bits, packetBytes / Math.max(1, channelCount))
  if (!coding) throw new AppError('audio/unsupported', { file, what: `CAF coding ${format.trim()} with ${bits} bits` })
  return openPcm(
    bytes,
    {
      coding,
      // behind a count of edits
      at: data.at + 4,
      size: data.size - 4,
      frameBytes: Math.max(packetBytes, coding.bytes * channelCount),
      channelCount,
      sampleRate: f64(at),
      bits: coding.kind === 'float' ? coding.bytes * 8 : bits,
      container: 'CAF',
      markers: (frames) => ({ cues: readMarks(frames), loops: [] }),
    },
    file,
  )

  function readMarks(frames: number) {
    if (!marks) return []
    const { at: from, size } = marks
    const count = Math.max(0, Math.min(u32(from + 4), Math.floor((size - MARKS_HEADER) / MARK_BYTES)))
    return Array.from({ length: count }, (_, n) => f64(from + MARKS_HEADER + n * MARK_BYTES + 4))
      .filter((frame) => frame >= 0 && frame <= frames)
      .map((frame) => ({ frame: Math.round(frame), label: '' }))
  }
}

/** @param room  bytes that a frame has for each channel: whole numbers fill it from the top. */
function codingOf(format: string, flags: number, bits: number, room: number): PcmCoding | undefined {
  const littleEndian = (flags & 2) !== 0
  if (format === 'ulaw') return { kind: 'µ-law', bytes: 1, littleEndian }
  if (format === 'alaw') return { kind: 'A-law', bytes: 1, littleEndian }
  if (format !== 'lpcm') return undefined
  if (flags & 1) return bits === 32 || bits === 64 ? { kind: 'float', bytes: bits / 8, littleEndian } : undefined
  if (bits < 1 || bits > 32) return undefined
  const least = Math.ceil(bits / 8)
  const bytes = Number.isInteger(room) && room > least && room <= 4 ? room : least
  return { kind: 'signed', bytes, littleEndian }
}
