import { AppError, concat, containers, type Markers, type SoundTags, type SoundWriter } from '../../core'
import { fieldsOf } from './fields'
import type { SoundLayout } from './layout'

/** frames of sound in a packet, and frames that the encoder puts before the sound */
const PACKET_FRAMES = 1024
const DELAY = 1024
/** Frames that may wait for the encoder, which works beside: more than a few seconds would only fill memory. */
const MOST_WAITING = 1 << 18
/** a table of where packets lie has a place for about each second */
const PACKETS_PER_CHUNK = 43
/** places and lengths are written with 32 bits */
const MOST_BYTES = 2 ** 32 - 2 ** 24

/** what the encoder says of its packets, for whoever decodes them */
type Description = Uint8Array

/**
 * AAC in an MP4 container. Its edit list says how many frames to leave out at its start, and how many there are:
 * who reads it gets as many as went in. The same is said in the field that players without edit lists go by.
 * Source  ISO/IEC 14496-12, sections 4 and 8; 14496-14, section 5; 14496-1, section 7.2.6.
 */
export async function createM4aWriter(layout: SoundLayout): Promise<SoundWriter> {
  const { sampleRate, channelCount, frames, tags, markers } = layout
  const encoder = await openEncoder(layout)
  const start = concat([box('ftyp', ascii('M4A '), u32(0), ascii('M4A mp42isom')), u32(0), ascii('mdat')])
  const sizes: number[] = []
  let bytes = 0
  let clipped = 0
  let given = 0

  function taken(): Uint8Array<ArrayBuffer> {
    const packets = encoder.take()
    for (const packet of packets) {
      sizes.push(packet.length)
      bytes += packet.length
    }
    if (bytes > MOST_BYTES) throw new AppError('export/too-long', { bytes })
    return concat(packets)
  }

  return {
    headerBytes: start.length,
    encode(block, count) {
      const data = new Float32Array(count * channelCount)
      block.forEach((channel, c) => {
        for (let i = 0; i < count; i++) {
          const value = channel[i] as number
          if (Math.abs(value) > 1) clipped++
          data[i * channelCount + c] = value
        }
      })
      encoder.give(data, given)
      given += count
      return taken()
    },
    rest: encoder.rest,
    close: encoder.close,
    async finish() {
      const description = await encoder.end()
      const last = taken()
      const header = start.slice()
      new DataView(header.buffer).setUint32(start.length - 8, 8 + bytes)
      const facts = { sampleRate, channelCount, frames, sizes, description, dataAt: start.length }
      return { header, footer: concat([last, index(facts, itemList(tags, markers, facts))]) }
    },
    get clippedSamples() {
      return clipped
    },
  }
}

/** An encoder that works beside: it is given samples, and what is done is taken. */
async function openEncoder({ sampleRate, channelCount, kbps: wanted }: SoundLayout) {
  const { AudioSample, AudioSampleSource, Mp4OutputFormat, NullTarget, Output } = await import('mediabunny')
  const { registerAacEncoder } = await import('@mediabunny/aac-encoder')
  // a browser's own would give other bytes on every machine, and none at all on some
  registerAacEncoder()
  const kbps = wanted ?? (containers.m4a.kbps?.usual as number)
  let done: Uint8Array[] = []
  let description: Description | undefined
  let failed: unknown
  const source = new AudioSampleSource({
    codec: 'aac',
    bitrate: 1000 * (channelCount === 1 ? Math.ceil(kbps / 2) : kbps),
    onEncodedPacket(packet, meta) {
      done.push(packet.data)
      const told = meta?.decoderConfig?.description
      if (told) description = bytesOf(told)
    },
  })
  // its own file has no place for what comes before the sound: the packets alone are used
  const output = new Output({ format: new Mp4OutputFormat({ fastStart: false }), target: new NullTarget() })
  output.addAudioTrack(source)
  await output.start()
  let waiting = 0
  let line: Promise<void> = Promise.resolve()

  return {
    /** Give the next frames, interleaved, the first of them being frame `at`. */
    give(data: Float32Array<ArrayBuffer>, at: number) {
      const count = data.length / channelCount
      waiting += count
      line = line
        .then(async () => {
          if (failed !== undefined) return
          const sample = new AudioSample({
            data,
            format: 'f32',
            numberOfChannels: channelCount,
            sampleRate,
            timestamp: at / sampleRate,
          })
          try {
            await source.add(sample)
          } finally {
            sample.close()
          }
        })
        .catch((error: unknown) => {
          failed = error
        })
        .then(() => {
          waiting -= count
        })
    },
    take() {
      if (failed !== undefined) throw failed
      const packets = done
      done = []
      return packets
    },
    rest: () => (waiting > MOST_WAITING ? line : undefined),
    /** Wait until all is done. */
    async end(): Promise<Description> {
      await line
      if (failed !== undefined) throw failed
      await output.finalize()
      if (!description) throw new Error('m4a: the encoder said nothing of its packets')
      return description
    },
    close() {
      if (output.state === 'started') void output.cancel()
    },
  }
}

const bytesOf = (source: ArrayBufferLike | ArrayBufferView): Uint8Array =>
  ArrayBuffer.isView(source)
    ? new Uint8Array(source.buffer, source.byteOffset, source.byteLength)
    : new Uint8Array(source)

interface Facts {
  readonly sampleRate: number
  readonly channelCount: number
  /** of the sound */
  readonly frames: number
  /** bytes of each packet, one behind the other from `dataAt` on */
  readonly sizes: readonly number[]
  readonly dataAt: number
  readonly description: Description
}

/** What stands behind the sound: where its packets lie, how to decode them, what is said of it. */
function index(facts: Facts, items: Uint8Array): Uint8Array {
  const { sampleRate, frames, sizes } = facts
  // the clock of the file is the sound's own: lengths are whole frames
  const mediaFrames = sizes.length * PACKET_FRAMES
  const times = [u32(0), u32(0)]
  const movie = full(
    'mvhd',
    0,
    0,
    ...times,
    u32(sampleRate),
    u32(frames),
    ONCE,
    FULL,
    zeros(10),
    AS_IS,
    zeros(24),
    u32(2),
  )
  const track = full('tkhd', 0, 7, ...times, u32(1), u32(0), u32(frames), zeros(12), FULL, zeros(2), AS_IS, zeros(8))
  const media = box(
    'mdia',
    full('mdhd', 0, 0, ...times, u32(sampleRate), u32(mediaFrames), NO_LANGUAGE, u16(0)),
    full('hdlr', 0, 0, u32(0), ascii('soun'), zeros(12), ascii('sound\0')),
    box(
      'minf',
      full('smhd', 0, 0, zeros(4)),
      box('dinf', full('dref', 0, 0, u32(1), full('url ', 0, 1))),
      box('stbl', ...tables(facts)),
    ),
  )
  const edit = box('edts', full('elst', 0, 0, u32(1), u32(frames), u32(DELAY), ONCE))
  const said = box(
    'udta',
    full('meta', 0, 0, full('hdlr', 0, 0, u32(0), ascii('mdirappl'), zeros(9)), box('ilst', items)),
  )
  return box('moov', movie, box('trak', track, edit, media), said)
}

function tables({ sampleRate, channelCount, sizes, description, dataAt }: Facts): Uint8Array[] {
  const entry = box(
    'mp4a',
    zeros(6),
    u16(1),
    zeros(8),
    u16(channelCount),
    u16(16),
    zeros(4),
    // whole Hz in the upper half; rates that do not fit are told by the description alone
    u16(sampleRate < 2 ** 16 ? sampleRate : 0),
    u16(0),
    full('esds', 0, 0, elementaryStream(sizes, sampleRate, description)),
  )
  const chunks = Math.ceil(sizes.length / PACKETS_PER_CHUNK)
  const inLast = sizes.length - (chunks - 1) * PACKETS_PER_CHUNK
  const runs = [
    ...(chunks > 1 ? [[1, PACKETS_PER_CHUNK, 1]] : []),
    ...(chunks === 1 || inLast !== PACKETS_PER_CHUNK ? [[chunks, inLast, 1]] : []),
  ]
  const places: number[] = []
  let at = dataAt
  sizes.forEach((size, n) => {
    if (n % PACKETS_PER_CHUNK === 0) places.push(at)
    at += size
  })
  return [
    full('stsd', 0, 0, u32(1), entry),
    full('stts', 0, 0, u32(1), u32(sizes.length), u32(PACKET_FRAMES)),
    full('stsc', 0, 0, u32(runs.length), ...runs.flat().map(u32)),
    full('stsz', 0, 0, u32(0), u32(sizes.length), words(sizes)),
    full('stco', 0, 0, u32(places.length), words(places)),
    // a packet is heard rightly only behind the one before it
    full('sgpd', 1, 0, ascii('roll'), u32(2), u32(1), u16(-1)),
    full('sbgp', 0, 0, ascii('roll'), u32(1), u32(sizes.length), u32(1)),
  ]
}

function elementaryStream(sizes: readonly number[], sampleRate: number, description: Description): Uint8Array {
  const most = sizes.reduce((largest, size) => Math.max(largest, size), 0)
  const bitsPerSecond = (bytes: number, packets: number) =>
    Math.round((8 * bytes * sampleRate) / Math.max(1, packets * PACKET_FRAMES))
  const mean = bitsPerSecond(
    sizes.reduce((sum, size) => sum + size, 0),
    sizes.length,
  )
  const decoder = described(
    4,
    // MPEG-4 audio, a stream of sound
    [0x40, 0x15],
    u32(most).subarray(1),
    u32(bitsPerSecond(most, 1)),
    u32(mean),
    described(5, description),
  )
  return described(3, u16(1), [0], decoder, described(6, [2]))
}

/** What is said of the sound, by the fields that such files have and by fields of any name. */
function itemList(tags: SoundTags, markers: Markers, { sampleRate, frames, sizes }: Facts): Uint8Array {
  const hex = (value: number, digits = 8) => value.toString(16).toUpperCase().padStart(digits, '0')
  const behind = sizes.length * PACKET_FRAMES - DELAY - frames
  const gap = ` ${[hex(0), hex(DELAY), hex(behind), hex(frames, 16), ...Array.from({ length: 8 }, () => hex(0))].join(' ')}`
  const bpm = tags.bpm ?? markers.tempo?.bpm
  const own: Uint8Array[] = [
    ...(tags.title !== undefined ? [item('\xa9nam', text(tags.title))] : []),
    ...(tags.date !== undefined ? [item('\xa9day', text(tags.date))] : []),
    ...(bpm !== undefined ? [item('tmpo', data(21, u16(Math.round(bpm))))] : []),
    item('\xa9too', text('Zumbet')),
    named('iTunSMPB', gap),
  ]
  const fields = fieldsOf(tags, markers, sampleRate).filter(([name]) => !['TITLE', 'DATE'].includes(name))
  return concat([...own, ...fields.map(([name, value]) => named(name, value))])
}

const item = (type: string, value: Uint8Array) => box(type, value)
const data = (kind: number, value: Uint8Array) => box('data', u32(kind), u32(0), value)
const text = (value: string) => data(1, new TextEncoder().encode(value))
/** A field of any name. Its first part is what readers expect there. */
const named = (name: string, value: string) =>
  box('----', full('mean', 0, 0, ascii('com.apple.iTunes')), full('name', 0, 0, ascii(name)), text(value))

type Part = Uint8Array | readonly number[]

const whole = (parts: readonly Part[]) => concat(parts.map((part) => Uint8Array.from(part)))

function box(type: string, ...parts: Part[]): Uint8Array<ArrayBuffer> {
  const body = whole(parts)
  return concat([u32(8 + body.length), ascii(type), body])
}

/** A box with a version and flags. */
const full = (type: string, version: number, flags: number, ...parts: Part[]) =>
  box(type, [version, 0, 0, flags], ...parts)

/** A descriptor; its length is written with seven bits a byte. */
function described(tag: number, ...parts: Part[]): Uint8Array {
  const body = whole(parts)
  return concat([Uint8Array.of(tag, 0x80, 0x80, 0x80 | (body.length >> 7), body.length & 127), body])
}

function words(values: readonly number[]): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(4 * values.length)
  const view = new DataView(bytes.buffer)
  values.forEach((value, n) => {
    view.setUint32(4 * n, value)
  })
  return bytes
}

const u32 = (value: number) => words([value])
const u16 = (value: number) => Uint8Array.of((value >> 8) & 255, value & 255)
const zeros = (count: number) => new Uint8Array(count)
const ascii = (letters: string) => Uint8Array.from(letters, (char) => char.charCodeAt(0))

/** 1 as a fixed-point number of 32 bits: a speed */
const ONCE = u32(0x00010000)
/** 1 as one of 16 bits: a volume */
const FULL = u16(0x0100)
/** the picture, if there were one, as it is: rows of a matrix */
const AS_IS = words([0x00010000, 0, 0, 0, 0x00010000, 0, 0, 0, 0x40000000])
/** "undetermined" in five bits a letter */
const NO_LANGUAGE = u16(0x55c4)
