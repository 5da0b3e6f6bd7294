import { describe, expect, it } from 'vitest'
import { WaveFile } from 'wavefile'
import { createRandom } from '../dsp/random'
import { AppError } from '../errors'
import {
  aiffFile,
  type Coding,
  cafFile,
  cafMarks,
  chunk,
  i64,
  joined,
  type Samples,
  u16,
  u32,
  wavFile,
} from '../testing/soundFiles'
import { type ByteSource, bytesInMemory } from './byteSource'
import { type PcmFile, readPcm } from './pcm'
import { openAiff } from './readAiff'
import { openCaf } from './readCaf'
import { openWav } from './readWav'

/** Samples on the grid of 8 bits, so that every coding holds them; codes of the laws. */
function samplesFor(coding: Coding, channels: number, frames: number): Samples {
  const random = createRandom(frames + channels)
  const value =
    coding === 'µ' || coding === 'A' ? () => Math.floor(random() * 256) : () => Math.floor(random() * 256 - 128) / 128
  return Array.from({ length: channels }, () => Array.from({ length: frames }, value))
}

const opened = (file: ReturnType<typeof openAiff>): PcmFile => {
  if ('packed' in file) throw new Error(`packed: ${file.packed}`)
  return file
}
const readers = {
  wav: (bytes: Uint8Array) => openWav(bytesInMemory(bytes), 'a.wav'),
  aiff: (bytes: Uint8Array) => opened(openAiff(bytesInMemory(bytes), 'a.aiff')),
  caf: (bytes: Uint8Array) => openCaf(bytesInMemory(bytes), 'a.caf'),
}
const samplesOf = (file: PcmFile) => readPcm(file, 'a').audio.channels.map((channel) => [...channel])

function codeOf(work: () => unknown): string {
  try {
    work()
  } catch (error) {
    return error instanceof AppError ? error.code : `not told: ${error}`
  }
  return 'no error'
}

describe('files of plain samples', () => {
  const cases: readonly (readonly [string, Coding, (samples: Samples) => PcmFile])[] = [
    ...(['u8', '16', '24', '32', '24in32', '32f', '64f'] as const).flatMap((coding) =>
      (['RIFF', 'RF64', 'BW64'] as const).map(
        (riff) => [`${riff} ${coding}`, coding, (s: Samples) => readers.wav(wavFile(s, coding, { riff }))] as const,
      ),
    ),
    ['extensible 16', '16', (s) => readers.wav(wavFile(s, '16', { extensible: true }))],
    ...(['s8', '16', '24', '32'] as const).map(
      (coding) => [`AIFF ${coding}`, coding, (s: Samples) => readers.aiff(aiffFile(s, coding))] as const,
    ),
    ['AIFC sowt', '16', (s) => readers.aiff(aiffFile(s, '16', { packing: 'sowt' }))],
    ['AIFC raw', 'u8', (s) => readers.aiff(aiffFile(s, 'u8', { packing: 'raw ' }))],
    ['AIFC in24', '24', (s) => readers.aiff(aiffFile(s, '24', { packing: 'in24' }))],
    ['AIFC fl32', '32f', (s) => readers.aiff(aiffFile(s, '32f', { packing: 'fl32' }))],
    ['AIFC FL64', '64f', (s) => readers.aiff(aiffFile(s, '64f', { packing: 'FL64' }))],
    ...(['s8', '16', '24', '32', '24in32', '32f', '64f'] as const).flatMap((coding) =>
      [true, false].map(
        (little) =>
          [`CAF ${coding} ${little}`, coding, (s: Samples) => readers.caf(cafFile(s, coding, { little }))] as const,
      ),
    ),
  ]
  it.each(cases)('come back to the very samples: %s', (_, coding, read) => {
    for (const channels of [1, 2, 5]) {
      const samples = samplesFor(coding, channels, 333)
      const file = read(samples)
      expect(samplesOf(file)).toEqual(samples)
      expect(file.source).toMatchObject({ sampleRate: 44_100, channelCount: channels, frames: 333 })
      // read in the middle it is the same
      expect([...(file.source.part(100, 200).channels[0] as Float32Array)]).toEqual(samples[0]?.slice(100, 200))
    }
  })

  it('hold µ-law and A-law as another reader of them has it', () => {
    const codes = [Array.from({ length: 256 }, (_, code) => code)]
    for (const [coding, unpack] of [
      ['µ', 'fromMuLaw'],
      ['A', 'fromALaw'],
    ] as const) {
      const bytes = wavFile(codes, coding)
      const other = new WaveFile(bytes)
      other[unpack]()
      const theirs = [...(other.getSamples(false, Int16Array) as unknown as Int16Array)].map((value) => value / 2 ** 15)
      expect(samplesOf(readers.wav(bytes))[0]).toEqual(theirs)
      expect(
        samplesOf(readers.aiff(aiffFile(codes, coding, { packing: coding === 'µ' ? 'ulaw' : 'alaw' })))[0],
      ).toEqual(theirs)
      expect(samplesOf(readers.caf(cafFile(codes, coding)))[0]).toEqual(theirs)
    }
  })

  it('keep marks, loops and notes of AIFF and CAF', () => {
    const mark = (id: number, frame: number, label: string) =>
      joined(u16(id, false), u32(frame, false), [label.length], label, label.length % 2 ? [] : [0])
    const marks = chunk(
      'MARK',
      joined(u16(3, false), mark(1, 10, 'knock'), mark(7, 200, 'ebb!'), mark(9, 9999, '')),
      false,
    )
    const loop = joined(u16(2, false), u16(1, false), u16(7, false))
    const instrument = chunk('INST', joined([57, 0, 0, 127, 0, 127, 0, 0], loop, loop), false)
    const samples = samplesFor('16', 1, 300)
    expect(readers.aiff(aiffFile(samples, '16', { behind: joined(marks, instrument) })).markers).toEqual({
      cues: [
        { frame: 10, label: 'knock' },
        { frame: 200, label: 'ebb!' },
      ],
      loops: [{ kind: 'alternating', startFrame: 10, endFrame: 200, plays: 0 }],
      rootNote: 57,
    })
    const caf = readers.caf(cafFile(samples, '16', { before: cafMarks([5, 299, 1e9, -4]) }))
    expect(caf.markers.cues.map(({ frame }) => frame)).toEqual([5, 299])
  })

  it('may have rates that are not whole, from 1 to 768 kHz', () => {
    const samples = samplesFor('16', 1, 50)
    expect(readers.aiff(aiffFile(samples, '16', { rate: 22_254.5454 })).source.sampleRate).toBeCloseTo(22_254.5454, 4)
    expect(readers.caf(cafFile(samples, '16', { rate: 44_056.25 })).source.sampleRate).toBe(44_056.25)
    for (const rate of [1, 999, 768_001, 4e9])
      expect(
        codeOf(() => readers.wav(wavFile(samples, '16', { rate }))),
        String(rate),
      ).toBe('audio/rate')
    for (const [rate, code] of [
      [-44_100, 'rate'],
      [0, 'rate'],
      [1e30, 'rate'],
      [Number.NaN, 'unreadable'],
      [Number.POSITIVE_INFINITY, 'unreadable'],
    ] as const) {
      const bytes = cafFile(samples, '16', { rate })
      expect(
        codeOf(() => readers.caf(bytes)),
        String(rate),
      ).toBe(`audio/${code}`)
    }
    for (const rate of [1000, 768_000])
      expect(readers.wav(wavFile(samples, '16', { rate })).source.sampleRate).toBe(rate)
  })

  it('lose a damaged chunk behind the sound, and keep the sound', () => {
    const samples = samplesFor('16', 2, 99)
    for (const id of ['cue ', 'smpl', 'LIST', 'junk'])
      for (const size of [0, 1, 2, 3, 5, 11, 40]) {
        const whole = chunk(id, joined(id === 'LIST' ? 'adtl' : '', new Uint8Array(size).fill(255)))
        const cut = joined(id, u32(5000, true), new Uint8Array(size))
        for (const behind of [whole, cut])
          expect(samplesOf(readers.wav(wavFile(samples, '16', { behind }))), `${id} ${size}`).toEqual(samples)
      }
    for (const behind of [chunk('MARK', Uint8Array.of(255), false), joined('MARK', u32(9999, false))])
      expect(samplesOf(readers.aiff(aiffFile(samples, '16', { behind })))).toEqual(samples)
  })

  it('have no sound where its size is 0 and another chunk is behind it; left open, it goes to the end', () => {
    const samples = samplesFor('16', 1, 64)
    const info = chunk('LIST', joined('INFO', new Uint8Array(40)))
    expect(codeOf(() => readers.wav(wavFile([[]], '16', { behind: info })))).toBe('audio/empty')
    for (const dataSize of [0, 0xffffffff])
      expect(samplesOf(readers.wav(wavFile(samples, '16', { dataSize })))).toEqual(samples)
    expect(samplesOf(readers.caf(cafFile(samples, '16', { open: true })))).toEqual(samples)
    expect(samplesOf(readers.aiff(aiffFile(samples, '16', { frames: 0 })))).toEqual(samples)
  })

  it('mind how far it is from frame to frame', () => {
    const [left] = samplesFor('16', 1, 40) as [number[]]
    // every second sample is not of this sound
    const spread = left.flatMap((value) => [value, 0.25])
    const file = readers.wav(wavFile([spread], '16', { blockAlign: 4 }))
    expect(file.source.frames).toBe(40)
    expect(codeOf(() => readers.wav(wavFile([left], '16', { blockAlign: 4 })))).toBe('no error')
    // too small to be true: bits and channels say more
    expect(samplesOf(readers.wav(wavFile([left], '16', { blockAlign: 1 })))).toEqual([left])
  })

  it('count what is no number, or too large for 32 bits, and read it as silence', () => {
    const odd = [0.5, Number.NaN, 1e300, Number.NEGATIVE_INFINITY, -0.25]
    const { audio, warnings } = readPcm(readers.wav(wavFile([odd], '64f')), 'a.wav')
    expect([...(audio.channels[0] as Float32Array)]).toEqual([0.5, 0, 0, 0, -0.25])
    expect(warnings).toEqual([{ code: 'audio/not-finite', details: { file: 'a.wav', samples: 3 } }])
  })

  it('are held against their size before anything is read', () => {
    const samples = samplesFor('16', 2, 100)
    let asked = 0
    const counting = (bytes: Uint8Array): ByteSource => ({
      length: bytes.length,
      read(at, count) {
        asked = Math.max(asked, count)
        return bytes.subarray(at, at + count)
      },
    })
    const huge = aiffFile(samples, '16', { packing: 'NONE', frames: 2 ** 30 })
    expect(codeOf(() => openAiff(counting(huge), 'a'))).toBe('audio/truncated')
    const packed = openAiff(counting(aiffFile(samples, '16', { packing: 'ima4', frames: 2 ** 30 })), 'a')
    expect(packed).toMatchObject({ packed: 'ima4', said: 2 ** 30 })
    expect((packed as { frames: number }).frames).toBeLessThan(1000)
    expect(codeOf(() => openWav(counting(wavFile(samples, '16', { dataSize: 2 ** 31 })), 'a'))).toBe('audio/truncated')
    const caf = cafFile(samples, '16')
    caf.set(i64(2 ** 40), 8 + 12 + 32 + 4)
    expect(codeOf(() => openCaf(counting(caf), 'a'))).toBe('audio/truncated')
    expect(asked).toBeLessThan(1000)
  })

  it('say which coding it is that is not read', () => {
    const samples = samplesFor('16', 1, 10)
    expect(codeOf(() => readers.aiff(aiffFile(samples, '16', { packing: 'QDM2' })))).toBe('audio/unsupported')
    const aac = cafFile(samples, '16')
    aac.set(joined('aac '), 8 + 12 + 8)
    expect(codeOf(() => readers.caf(aac))).toBe('audio/unsupported')
    const many = wavFile(samplesFor('16', 9, 3), '16')
    expect(codeOf(() => readers.wav(many))).toBe('audio/channels')
  })
})
