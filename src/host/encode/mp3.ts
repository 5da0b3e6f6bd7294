import type { Markers, SoundTags, SoundWriter } from '../../core'
import { containers } from '../../core'
import { fieldsOf } from './fields'
import type { SoundLayout } from './layout'

/** frames that the encoder puts before the sound */
const DELAY = 576
/** kbit/s by the index in a frame's header, layer III: of 32 kHz and more, and below */
const KBPS = [0, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320]
const LOW_KBPS = [0, 8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160]
const LOW_RATE = 32_000
/** the encoder goes no higher at the lowest rates */
const mostKbps = (rate: number) => (rate >= LOW_RATE ? 320 : rate > 12_000 ? 160 : 64)

/**
 * An MP3 file at an even bit rate. Its first frame says how many frames the encoder put before and behind the sound:
 * who reads it gets as many as went in.
 */
export async function createMp3Writer(layout: SoundLayout): Promise<SoundWriter> {
  const { sampleRate, channelCount, frames, tags, markers } = layout
  const { createMp3Encoder } = await import('wasm-media-encoders')
  const encoder = await createMp3Encoder()
  const wanted = Math.min(mostKbps(sampleRate), layout.kbps ?? (containers.mp3.kbps?.usual as number))
  const table = sampleRate >= LOW_RATE ? KBPS : LOW_KBPS
  const bitrate = table.reduce((best, one) => (Math.abs(one - wanted) < Math.abs(best - wanted) ? one : best))
  encoder.configure({
    sampleRate,
    channels: channelCount as 1 | 2,
    bitrate: bitrate as 128,
    outputSampleRate: sampleRate as 44_100,
  })
  const tag = await id3(tags, markers, sampleRate, frames)
  const frameLength = Math.floor(((sampleRate >= LOW_RATE ? 144_000 : 72_000) * bitrate) / sampleRate)
  const framesEach = sampleRate >= LOW_RATE ? 1152 : 576
  const headerBytes = tag.length + frameLength
  let first: Uint8Array | undefined
  let bytes = 0
  const counted = (part: Uint8Array): Uint8Array<ArrayBuffer> => {
    const own = part.slice()
    bytes += own.length
    if (!first && own.length >= 4) first = own.slice(0, 4)
    return own
  }
  let clipped = 0
  return {
    headerBytes,
    encode(block, count) {
      for (const channel of block) for (let i = 0; i < count; i++) if (Math.abs(channel[i] as number) > 1) clipped++
      return counted(encoder.encode(block.map((channel) => channel.subarray(0, count))))
    },
    finish() {
      const footer = counted(encoder.finalize())
      const header = new Uint8Array(headerBytes)
      header.set(tag)
      if (first)
        header.set(
          gapFrame({ first, frameLength, framesEach, frames, bytes, bitrate, channelCount, sampleRate }),
          tag.length,
        )
      return { header, footer }
    },
    get clippedSamples() {
      return clipped
    },
  }
}

interface Gap {
  /** the header of the first frame */
  readonly first: Uint8Array
  /** bytes of a frame without padding, and frames of sound in it */
  readonly frameLength: number
  readonly framesEach: number
  /** of the sound */
  readonly frames: number
  /** of all frames but this one */
  readonly bytes: number
  readonly bitrate: number
  readonly channelCount: number
  readonly sampleRate: number
}

/**
 * A frame without sound that says how long the sound is.
 * Source  "MP3 Info Tag, revision 1, specifications": the layout that decoders go by.
 */
function gapFrame({
  first,
  frameLength,
  framesEach,
  frames,
  bytes,
  bitrate,
  channelCount,
  sampleRate,
}: Gap): Uint8Array {
  const frame = new Uint8Array(frameLength)
  const view = new DataView(frame.buffer)
  // unpadded, without a check sum
  frame.set([first[0] as number, (first[1] as number) | 1, (first[2] as number) & ~2, first[3] as number])
  const side = sampleRate >= LOW_RATE ? (channelCount === 2 ? 32 : 17) : channelCount === 2 ? 17 : 9
  const at = 4 + side
  // an even rate pads some frames by a byte: how many there are follows from how many bytes they should have
  const count = Math.round(bytes / (((sampleRate >= LOW_RATE ? 144_000 : 72_000) * bitrate) / sampleRate))
  frame.set(ascii('Info'), at)
  view.setUint32(at + 4, 0x0f)
  view.setUint32(at + 8, count)
  view.setUint32(at + 12, bytes + frameLength)
  for (let n = 0; n < 100; n++) frame[at + 16 + n] = Math.floor((n * 256) / 100)
  const lame = at + 120
  frame.set(ascii('LAME3.100'), lame)
  // revision 0, an even bit rate
  frame[lame + 9] = 1
  frame[lame + 20] = Math.min(255, bitrate)
  const behind = Math.max(0, Math.min(4095, count * framesEach - DELAY - frames))
  frame.set([DELAY >> 4, ((DELAY & 15) << 4) | (behind >> 8), behind & 255], lame + 21)
  view.setUint32(lame + 28, bytes + frameLength)
  view.setUint16(lame + 34, crc16(frame.subarray(0, lame + 34)))
  return frame
}

/** The check sum of such a frame: x¹⁶ + x¹⁵ + x² + 1, bits turned round. */
function crc16(bytes: Uint8Array): number {
  let crc = 0
  for (const byte of bytes) {
    crc ^= byte
    for (let bit = 0; bit < 8; bit++) crc = crc & 1 ? (crc >> 1) ^ 0xa001 : crc >> 1
  }
  return crc
}

const ascii = (text: string) => Array.from(text, (char) => char.charCodeAt(0))

/** What is used of the writer of tags; its types lack some of it. */
interface TagWriter {
  padding: number
  readonly arrayBuffer: ArrayBuffer
  setFrame(name: string, value: string | number | object): TagWriter
  addTag(): void
}

/** Tags and marks, as such files carry them. */
async function id3(tags: SoundTags, markers: Markers, sampleRate: number, frames: number): Promise<Uint8Array> {
  const { ID3Writer } = await import('browser-id3-writer')
  const writer = new ID3Writer(new ArrayBuffer(0)) as unknown as TagWriter
  writer.padding = 0
  const { title, date, key } = tags
  const bpm = tags.bpm ?? markers.tempo?.bpm
  if (title !== undefined) writer.setFrame('TIT2', title)
  if (bpm !== undefined) writer.setFrame('TBPM', Math.round(bpm))
  if (key !== undefined) writer.setFrame('TKEY', shortKey(key))
  const [, year, month, day] = /^(\d{4})-(\d\d)-(\d\d)$/.exec(date ?? '') ?? []
  if (year) writer.setFrame('TYER', Number(year)).setFrame('TDAT', `${day}${month}`)
  for (const [description, value] of fieldsOf(tags, markers, sampleRate))
    if (!['TITLE', 'DATE'].includes(description) && !/^CHAPTER\d{3}$/.test(description))
      writer.setFrame('TXXX', { description, value })
  const ms = (frame: number) => Math.round((1000 * frame) / sampleRate)
  markers.cues.forEach(({ frame, label }, n) => {
    writer.setFrame('CHAP', {
      id: `chp${n + 1}`,
      startTime: ms(frame),
      endTime: ms(markers.cues[n + 1]?.frame ?? frames),
      subFrames: { TIT2: label },
    })
  })
  writer.addTag()
  return new Uint8Array(writer.arrayBuffer)
}

/** `A minor` is `Am`, `C major` is `C`. */
const shortKey = (key: string) =>
  key
    .replace(/ minor$/, 'm')
    .replace(/ major$/, '')
    .slice(0, 3)
