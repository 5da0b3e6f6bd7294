import { concat, containers, type SoundWriter } from '../../core'
import { fieldsOf, vorbisComments } from './fields'
import type { SoundLayout } from './layout'
import { createOggStream } from './ogg'

const RATE = 48_000
const PACKET_FRAMES = 960
/** a page a second */
const PACKETS_PER_PAGE = 50

/**
 * An Opus file in Ogg. It says how many frames to leave out at its start, and at which frame it ends:
 * who reads it gets as many as went in.
 * Source  RFC 7845, sections 4 and 5.
 */
export async function createOpusWriter(layout: SoundLayout): Promise<SoundWriter> {
  const { sampleRate, channelCount, frames, tags, markers, seed } = layout
  if (sampleRate !== RATE) throw new RangeError(`createOpusWriter: sampleRate must be ${RATE}, got ${sampleRate}`)
  const { Application, createEncoder } = await import('libopus-wasm')
  const kbps = layout.kbps ?? (containers.opus.kbps?.usual as number)
  const encoder = await createEncoder({
    sampleRate: RATE,
    channels: channelCount as 1 | 2,
    application: Application.Audio,
    bitrate: 1000 * (channelCount === 1 ? Math.ceil(kbps / 2) : kbps),
    complexity: 10,
    frameSize: PACKET_FRAMES,
  })
  const skip = encoder.getLookahead()
  const stream = createOggStream(serialOf(seed, frames))
  const comments = vorbisComments(fieldsOf(tags, markers, RATE))
  const header = concat([
    stream.pages([head(channelCount, skip)], 0),
    stream.pages([concat([ascii('OpusTags'), comments])], 0),
  ])
  const waiting = new Float32Array(PACKET_FRAMES * channelCount)
  let waitingFrames = 0
  let packets: Uint8Array[] = []
  let encoded = 0
  let clipped = 0

  function put(): Uint8Array | undefined {
    packets.push(encoder.encodeFloat(waiting).slice())
    waitingFrames = 0
    encoded += PACKET_FRAMES
    const isLast = encoded >= skip + frames
    if (packets.length < PACKETS_PER_PAGE && !isLast) return undefined
    // the end is where the sound ends, wherever in the last packet
    const page = stream.pages(packets, isLast ? skip + frames : encoded, isLast)
    packets = []
    return page
  }

  return {
    headerBytes: header.length,
    encode(block, count) {
      const out: Uint8Array[] = []
      for (let n = 0; n < count; n++) {
        block.forEach((channel, c) => {
          const value = channel[n] as number
          if (Math.abs(value) > 1) clipped++
          waiting[waitingFrames * channelCount + c] = value
        })
        if (++waitingFrames < PACKET_FRAMES) continue
        const page = put()
        if (page) out.push(page)
      }
      return concat(out)
    },
    finish() {
      const out: Uint8Array[] = []
      while (encoded < skip + frames) {
        waiting.fill(0, waitingFrames * channelCount)
        const page = put()
        if (page) out.push(page)
      }
      return { header, footer: concat(out) }
    },
    close: () => encoder.free(),
    get clippedSamples() {
      return clipped
    },
  }
}

function head(channelCount: number, skip: number): Uint8Array {
  const bytes = new Uint8Array(19)
  const view = new DataView(bytes.buffer)
  bytes.set(ascii('OpusHead'))
  bytes.set([1, channelCount], 8)
  view.setUint16(10, skip, true)
  view.setUint32(12, RATE, true)
  return bytes
}

/** Streams are told apart by a number; the same result has the same one. */
const serialOf = (seed: number, frames: number) => (Math.imul(seed + 1, 2_654_435_761) ^ frames) >>> 0

const ascii = (text: string) => Uint8Array.from(text, (char) => char.charCodeAt(0))
