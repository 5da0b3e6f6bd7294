/** What the frames of an MP3 file say of its sound. */
export interface Mp3Frames {
  readonly sampleRate: number
  /** every coding frame has one channel */
  readonly mono: boolean
  /** frames of sound in the coding frames that are there, run-in and run-out among them */
  readonly found: number
  /** the same of all that its first frame says there are; undefined where it says nothing */
  readonly said: number | undefined
  /** bytes between and behind the frames that belong to none of them, tags aside */
  readonly strangeBytes: number
}

const BITRATES: Readonly<Record<string, readonly number[]>> = {
  '1 1': [0, 32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448],
  '1 2': [0, 32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384],
  '1 3': [0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320],
  '2 1': [0, 32, 48, 56, 64, 80, 96, 112, 128, 144, 160, 176, 192, 224, 256],
  '2 2': [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
  '2 3': [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160],
}
const RATES = [44_100, 48_000, 32_000] as const

interface Header {
  readonly bytes: number
  readonly frames: number
  readonly sampleRate: number
  readonly mono: boolean
  /** where the first frame of a file may tell how many follow */
  readonly tellsAt: number
}

/** The header of a coding frame; @source ISO/IEC 11172-3 and 13818-3, section 2.4.1.3. Undefined for what is none. */
function headerAt(bytes: Uint8Array, at: number): Header | undefined {
  const [a, b, c, d] = bytes.subarray(at, at + 4) as unknown as [number, number, number, number]
  if (a !== 0xff || (b & 0xe0) !== 0xe0 || d === undefined) return undefined
  const version = (b >> 3) & 3
  const layer = 4 - ((b >> 1) & 3)
  const rate = (c >> 2) & 3
  const bitrate = BITRATES[`${version === 3 ? 1 : 2} ${layer}`]?.[c >> 4]
  if (version === 1 || layer === 4 || rate === 3 || !bitrate) return undefined
  const sampleRate = (RATES[rate] as number) / (version === 3 ? 1 : version === 2 ? 2 : 4)
  const padding = (c >> 1) & 1
  const frames = layer === 1 ? 384 : layer === 3 && version !== 3 ? 576 : 1152
  const size =
    layer === 1
      ? (Math.floor((12_000 * bitrate) / sampleRate) + padding) * 4
      : Math.floor((125 * frames * bitrate) / sampleRate) + padding
  const mono = d >> 6 === 3
  return { bytes: size, frames, sampleRate, mono, tellsAt: 4 + (version === 3 ? (mono ? 17 : 32) : mono ? 9 : 17) }
}

/** Go through a file's coding frames: decoders skip broken ones silently. Undefined where there is none. */
export function mp3Frames(bytes: Uint8Array): Mp3Frames | undefined {
  const text = (at: number, count: number) => String.fromCharCode(...bytes.subarray(at, at + count))
  let at = 0
  while (text(at, 3) === 'ID3' && at + 10 < bytes.length)
    at += 10 + bytes.subarray(at + 6, at + 10).reduce((sum, byte) => sum * 128 + (byte & 127), 0)
  const end = text(bytes.length - 128, 3) === 'TAG' ? bytes.length - 128 : bytes.length
  let found = 0
  let said: number | undefined
  let strangeBytes = 0
  let sampleRate = 0
  let first = true
  let mono = true
  while (at + 4 <= end) {
    const header = headerAt(bytes, at)
    const next = header && at + header.bytes
    // two headers in a row, of one rate: a single one comes up by chance
    const holds =
      header &&
      next !== undefined &&
      next <= end &&
      (sampleRate === 0 || header.sampleRate === sampleRate) &&
      (next + 4 > end || headerAt(bytes, next) !== undefined)
    if (!holds) {
      const tag = text(at, 8) === 'APETAGEX' ? 32 + tagBytes(bytes, at + 12) : 0
      if (tag > 0) at += tag
      else {
        strangeBytes++
        at++
      }
      continue
    }
    const mark = text(at + header.tellsAt, 4)
    if (first && (mark === 'Xing' || mark === 'Info')) {
      const view = new DataView(bytes.buffer, bytes.byteOffset + at + header.tellsAt, 12)
      if (view.getUint32(4) & 1) said = view.getUint32(8) * header.frames
    } else found += header.frames
    first = false
    sampleRate = header.sampleRate
    mono &&= header.mono
    at = next
  }
  return sampleRate > 0
    ? { sampleRate, mono, found, said, strangeBytes: strangeBytes + Math.max(0, end - at) }
    : undefined
}

const tagBytes = (bytes: Uint8Array, at: number) =>
  (bytes[at] ?? 0) + (bytes[at + 1] ?? 0) * 2 ** 8 + (bytes[at + 2] ?? 0) * 2 ** 16
