import { createHash } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import {
  type AudioBlock,
  bytesInMemory,
  type Container,
  concat,
  deliverTask,
  finish,
  type Markers,
  NO_MARKERS,
  soundSource,
} from '../../core'
import { createRandom } from '../../core/dsp/random'
import { block } from '../../core/testing/signals'
import { decodeFile } from '../decodeFile'
import { gapOf, mp4Fields } from '../mp4Fields'
import { createSoundWriter } from './createSoundWriter'
import { layoutOf } from './layout'

// the encoder of M4A looks for a page's workers first; tests of pages leave a stand-in for them behind
beforeAll(() => {
  vi.stubGlobal('Worker', undefined)
})
afterAll(() => {
  vi.unstubAllGlobals()
})

async function encoded(
  container: Container,
  audio: AudioBlock,
  options: { depth?: '16' | '24'; markers?: Markers; tags?: object; kbps?: number } = {},
) {
  const { depth = '16', markers = NO_MARKERS, tags = {}, kbps } = options
  const source = soundSource(audio)
  const delivery = { container, depth, mono: false, level: { kind: 'as-is' as const }, dither: 'flat' as const, kbps }
  const writer = await createSoundWriter(container, layoutOf(delivery, source, { markers, tags, seed: 1 }))
  const parts: Uint8Array[] = []
  finish(deliverTask(source, delivery, writer, (bytes) => parts.push(bytes)))
  const { header, footer } = await writer.finish()
  parts.push(footer)
  writer.close?.()
  expect(header.length).toBe(writer.headerBytes)
  return { bytes: concat([header, ...parts]), clippedSamples: writer.clippedSamples }
}

const random = createRandom(11)
/** a falling tone with noise: no two places of it are alike */
const chirp = (rate: number, channels: number, frames: number) =>
  block(rate, channels, frames, (i, c) => {
    const t = i / rate
    return 0.6 * Math.sin(2 * Math.PI * (900 - 200 * t) * t + c) + 0.02 * (random() - 0.5)
  })
const wholes = (audio: AudioBlock, bits: number) =>
  audio.channels.map((channel) => Int32Array.from(channel, (value) => Math.round(value * 2 ** (bits - 1))))

/** How many frames one lies behind the other, by where their product is largest. */
function lagOf(result: Float32Array, source: Float32Array, reach: number): number {
  let best = { lag: Number.NaN, sum: -Infinity }
  for (let lag = -reach; lag <= reach; lag++) {
    let sum = 0
    for (let i = 3000; i < 13_000; i++) sum += (source[i] as number) * (result[i + lag] ?? 0)
    if (sum > best.sum) best = { lag, sum }
  }
  return best.lag
}

describe('a FLAC file', () => {
  it.each([
    [44_100, 2, '16', 30_001],
    [48_000, 1, '24', 4096],
    [96_000, 6, '24', 9000],
    [12_345, 3, '16', 1],
    [192_000, 8, '24', 5000],
  ] as const)('gives back every bit: %d Hz, %d channels, %s bits, %d frames', async (rate, channels, depth, frames) => {
    const audio = chirp(rate, channels, frames)
    const { bytes } = await encoded('flac', audio, { depth })
    const back = await decodeFile(bytes, 'a.flac')
    expect(back.audio.sampleRate).toBe(rate)
    expect(wholes(back.audio, Number(depth))).toEqual(wholes(audio, Number(depth)))
  })

  it('says the sum of its samples, by which a decoder proves them', async () => {
    const audio = chirp(44_100, 2, 10_000)
    const { bytes } = await encoded('flac', audio)
    const [left, right] = wholes(audio, 16) as [Int32Array, Int32Array]
    const plain = new Int16Array(20_000)
    for (let i = 0; i < 10_000; i++) plain.set([left[i] as number, right[i] as number], 2 * i)
    const md5 = createHash('md5').update(new Uint8Array(plain.buffer)).digest('hex')
    expect(Buffer.from(bytes.subarray(26, 42)).toString('hex')).toBe(md5)
  })
})

describe('an MP3 file', () => {
  it.each([
    [44_100, 2, 44_100],
    [48_000, 1, 50_001],
    [22_050, 2, 30_000],
    [16_000, 1, 16_001],
    [8000, 1, 20_000],
  ])(
    'has as many frames as went in, each at its place: %d Hz, %d channels, %d frames',
    async (rate, channels, frames) => {
      const audio = chirp(rate, channels, frames)
      const { bytes } = await encoded('mp3', audio)
      const back = await decodeFile(bytes, 'a.mp3')
      expect(back.audio.sampleRate).toBe(rate)
      expect(back.audio.channels.length).toBe(channels)
      expect(back.audio.channels[0]?.length).toBe(frames)
      expect(lagOf(back.audio.channels[0] as Float32Array, audio.channels[0] as Float32Array, 3)).toBe(0)
    },
  )
})

describe('an Opus file', () => {
  it.each([
    [2, 48_000],
    [1, 12_345],
    [2, 47_999],
    [2, 500],
  ])('has as many frames as went in, each at its place: %d channels, %d frames', async (channels, frames) => {
    const audio = chirp(48_000, channels, frames)
    const { bytes } = await encoded('opus', audio)
    const back = await decodeFile(bytes, 'a.opus')
    expect(back.audio.channels[0]?.length).toBe(frames)
    if (frames > 13_100)
      expect(
        Math.abs(lagOf(back.audio.channels[0] as Float32Array, audio.channels[0] as Float32Array, 30)),
      ).toBeLessThanOrEqual(1)
  })
})

describe('an M4A file', () => {
  it.each([
    [44_100, 2, 44_100],
    [48_000, 1, 50_001],
    [96_000, 2, 100_000],
    [8000, 1, 20_000],
    [44_100, 2, 1],
  ])(
    'says where its sound begins and how long it is: %d Hz, %d channels, %d frames',
    async (rate, channels, frames) => {
      const { ALL_FORMATS, BufferSource, EncodedPacketSink, Input } = await import('mediabunny')
      const { bytes } = await encoded('m4a', chirp(rate, channels, frames))
      const input = new Input({ source: new BufferSource(bytes), formats: ALL_FORMATS })
      const track = await input.getPrimaryAudioTrack()
      expect(track).toMatchObject({ codec: 'aac', sampleRate: rate, numberOfChannels: channels })
      if (!track) return
      // packets lie end to end, each of a size that the next one stands on
      const packets = []
      for await (const packet of new EncodedPacketSink(track).packets()) packets.push(packet)
      expect(packets[0]?.timestamp).toBeCloseTo(-1024 / rate, 9)
      packets.forEach(({ timestamp, duration }, n) => {
        expect(timestamp * rate).toBeCloseTo(1024 * (n - 1), 3)
        expect(duration * rate).toBeCloseTo(1024, 3)
      })
      expect(packets).toHaveLength(1 + Math.ceil(frames / 1024))
      expect(gapOf(mp4Fields(bytesInMemory(bytes)))).toEqual({ delay: 1024, frames })
    },
  )

  it('is the same bytes again', async () => {
    const audio = chirp(44_100, 2, 20_000)
    const [one, two] = [await encoded('m4a', audio), await encoded('m4a', audio)]
    expect(Buffer.compare(one.bytes, two.bytes)).toBe(0)
  })

  it('of damaged fields is read without them', async () => {
    const { bytes } = await encoded('m4a', chirp(44_100, 1, 3000), { tags: { title: 'Rope winch' } })
    for (let at = bytes.length - 400; at < bytes.length; at += 3)
      for (const value of [0, 1, 255]) {
        const broken = bytes.slice()
        broken[at] = value
        expect(Array.isArray(mp4Fields(bytesInMemory(broken)))).toBe(true)
      }
    expect(mp4Fields(bytesInMemory(bytes.subarray(0, bytes.length - 5)))).toEqual([])
  })
})

describe('what a file says of its sound', () => {
  const markers: Markers = {
    cues: [
      { frame: 0, label: 'first' },
      { frame: 12_345, label: 'Ebbe – tief' },
    ],
    loops: [{ startFrame: 1000, endFrame: 30_000, kind: 'forward', plays: 0 }],
    rootNote: 57,
    tempo: { bpm: 96, beats: 4 },
  }
  const tags = { title: 'Rope winch', key: 'A minor', date: '2026-11-29', recipe: '{"stretch":2}' }

  it.each(['flac', 'mp3', 'm4a', 'opus'] as const)('is read back: %s', async (container) => {
    const { bytes } = await encoded(container, chirp(48_000, 2, 48_000), { markers, tags })
    // Node decodes no AAC: its samples do not matter here
    const own = { ['M4A' as const]: async () => chirp(48_000, 2, 48_000) }
    const back = await decodeFile(bytes, `a.${container}`, own)
    expect(back.markers).toEqual(markers)
  })

  it.each(['flac', 'mp3', 'm4a', 'opus'] as const)(
    'is known to other readers as title, tempo and key: %s',
    async (container) => {
      const { ALL_FORMATS, BufferSource, Input } = await import('mediabunny')
      const { bytes } = await encoded(container, chirp(48_000, 2, 48_000), { markers, tags })
      const said = await new Input({ source: new BufferSource(bytes), formats: ALL_FORMATS }).getMetadataTags()
      expect(said.title).toBe('Rope winch')
      if (container === 'm4a') expect(said.beatsPerMinute).toBe(96)
      else {
        expect(JSON.stringify(said.raw)).toContain(container === 'mp3' ? 'Am' : 'A minor')
        expect(JSON.stringify(said.raw)).toContain('96')
      }
    },
  )
})

it('a sound of more channels than a format has is refused', async () => {
  await expect(encoded('mp3', chirp(44_100, 3, 100))).rejects.toMatchObject({ code: 'export/channels' })
})
