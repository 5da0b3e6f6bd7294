import { describe, expect, it } from 'vitest'
import { WaveFile } from 'wavefile'
import { createRandom } from '../dsp/random'
import { AppError } from '../errors'
import { noise } from '../testing/signals'
import type { AudioBlock, Markers } from './block'
import { readWav } from './readWav'
import type { SampleFormat } from './sampleFormat'
import { writeWav } from './writeWav'

const formats: readonly SampleFormat[] = ['16', '24', '32', '32f']
const markers: Markers = {
  cues: [
    { frame: 100, label: 'first knock' },
    { frame: 900, label: '' },
  ],
  loops: [{ startFrame: 10, endFrame: 1200, kind: 'alternating', plays: 3 }],
  rootNote: 57,
}

function codeOf(work: () => unknown): string {
  try {
    work()
  } catch (error) {
    return error instanceof AppError ? error.code : String(error)
  }
  return 'no error'
}

/** Samples that lie on the grid of a format, so that writing them loses nothing. */
function onGrid(format: SampleFormat, channels: number, frames: number): AudioBlock {
  const random = createRandom(frames * 31 + channels)
  const steps = format === '16' ? 2 ** 15 : 2 ** 23
  return {
    sampleRate: 44_100,
    channels: Array.from({ length: channels }, () =>
      Float32Array.from({ length: frames }, () => (Math.round((2 * random() - 1) * (steps - 1)) || 0) / steps),
    ),
  }
}

describe('WAV files', () => {
  for (const format of formats) {
    for (const channels of [1, 2, 5, 8]) {
      it(`come back bit for bit: ${format}, ${channels} channels, with their marks`, () => {
        const audio = onGrid(format, channels, 1501)
        const back = readWav(writeWav(audio, { format, markers }), 'a.wav')
        expect(back.audio.sampleRate).toBe(44_100)
        expect(back.audio.channels.length).toBe(channels)
        back.audio.channels.forEach((channel, c) => {
          expect(channel).toEqual(audio.channels[c])
        })
        expect(back.markers).toEqual(markers)
        expect(back.depth).toEqual({ bits: format === '32f' ? 32 : Number(format), float: format === '32f' })
      })
    }
  }

  it('are read straight to where there is room for them', () => {
    const audio = onGrid('16', 3, 70_000)
    const made: SharedArrayBuffer[] = []
    const room = (frames: number) => {
      const memory = new SharedArrayBuffer(4 * frames)
      made.push(memory)
      return new Float32Array(memory)
    }
    const back = readWav(writeWav(audio, { format: '16' }), 'a.wav', room)
    expect(made.map(({ byteLength }) => byteLength)).toEqual([280_000, 280_000, 280_000])
    expect(back.audio.channels.map(({ buffer }) => buffer)).toEqual(made)
    back.audio.channels.forEach((channel, c) => {
      expect(Array.from(channel)).toEqual(Array.from(audio.channels[c] as Float32Array))
    })
  })

  it.each(['16', '24', '32', '32f'] as const)('are read alike by an independent library: %s', (format) => {
    const audio = onGrid(format, 2, 640)
    const other = new WaveFile(writeWav(audio, { format, markers }))
    expect((other.fmt as { sampleRate: number }).sampleRate).toBe(44_100)
    const read = other.getSamples(false, Float64Array) as unknown as Float64Array[]
    const scale = format === '32f' ? 1 : 2 ** (Number(format) - 1)
    read.forEach((channel, c) => {
      for (let i = 0; i < 640; i++)
        expect((channel[i] as number) / scale).toBeCloseTo(audio.channels[c]?.[i] as number, 7)
    })
    expect(other.listCuePoints()).toMatchObject([{ label: 'first knock' }, {}])
  })

  it.each(['8', '16', '24', '32', '32f', '64'])('of an independent library are read: %s', (depth) => {
    const other = new WaveFile()
    const whole = [0, 1000, -1000, 32_000, -32_000]
    other.fromScratch(1, 8000, '16', whole)
    other.toBitDepth(depth)
    const samples = readWav(other.toBuffer(), 'b.wav').audio.channels[0] as Float32Array
    whole.forEach((value, i) => {
      expect(samples[i]).toBeCloseTo(value / 32_768, depth === '8' ? 1 : 4)
    })
  })

  it('limit what is over full scale, and count it', () => {
    const audio = { sampleRate: 48_000, channels: [Float32Array.of(1.5, -1.5, 1, -1, 0)] }
    const back = readWav(writeWav(audio, { format: '16' }), 'a.wav').audio.channels[0]
    expect([...(back as Float32Array)]).toEqual([32_767 / 32_768, -1, 32_767 / 32_768, -1, 0])
  })

  it('carry triangular dither of the right power, none on digital silence, the same for the same seed', () => {
    const value = 0.25 + 0.3 / 32_768
    const audio = { sampleRate: 48_000, channels: [new Float32Array(60_000).fill(value)] }
    const write = (seed: number) =>
      readWav(writeWav(audio, { format: '16', dither: 'flat', seed }), 'a.wav').audio.channels[0] as Float32Array
    const once = write(3)
    const errors = once.map((v) => (v - value) * 32_768)
    const mean = errors.reduce((sum, e) => sum + e, 0) / errors.length
    const power = errors.reduce((sum, e) => sum + e * e, 0) / errors.length
    // rounding error 1/12 plus two uniform draws of one step: 1/12 + 2/12 (Lipshitz et al. 1992)
    expect(Math.abs(mean)).toBeLessThan(0.01)
    expect(power).toBeGreaterThan(0.23)
    expect(power).toBeLessThan(0.27)
    expect(write(3)).toEqual(once)
    expect(write(4)).not.toEqual(once)
    const quiet = { sampleRate: 48_000, channels: [new Float32Array(100)] }
    expect(readWav(writeWav(quiet, { format: '16', dither: 'flat' }), 'a.wav').audio.channels[0]).toEqual(
      new Float32Array(100),
    )
  })

  it('without the end of their sound, header or format say that they are cut off', () => {
    const whole = writeWav(noise({ seconds: 0.1, seed: 1 }), { format: '24' })
    for (const length of [4, 11, 20, 40, 60, 100, whole.length - 1000]) {
      expect(
        codeOf(() => readWav(whole.slice(0, length), 'cut.wav')),
        `${length} bytes`,
      ).toBe('audio/truncated')
    }
  })

  it('that hold no frame, or a coding that is not read, say so with their name', () => {
    const empty = writeWav({ sampleRate: 48_000, channels: [new Float32Array(0)] }, { format: '16' })
    expect(codeOf(() => readWav(empty, 'e.wav'))).toBe('audio/empty')
    const adpcm = writeWav(noise({ seconds: 0.01, seed: 1 }), { format: '16' })
    adpcm[20] = 2
    expect(codeOf(() => readWav(adpcm, 'x.wav'))).toBe('audio/unsupported')
    expect(() => readWav(adpcm, 'x.wav')).toThrow(/x\.wav/)
  })

  it('of a writer that could not go back for the length run to the end of the file', () => {
    const whole = writeWav(onGrid('16', 1, 300), { format: '16' })
    new DataView(whole.buffer).setUint32(40, 0xffffffff, true)
    expect(readWav(whole, 's.wav').audio.channels[0]).toHaveLength(300)
  })

  it('with samples that are no numbers come in with those silent, and a warning', () => {
    const audio = { sampleRate: 48_000, channels: [Float32Array.of(0.5, Number.NaN, Number.POSITIVE_INFINITY, -0.5)] }
    const back = readWav(writeWav(audio, { format: '32f' }), 'n.wav')
    expect([...(back.audio.channels[0] as Float32Array)]).toEqual([0.5, 0, 0, -0.5])
    expect(back.warnings).toEqual([{ code: 'audio/not-finite', details: { file: 'n.wav', samples: 2 } }])
  })

  it('never make the reader hang or fail unnamed, however a byte is broken', () => {
    const whole = writeWav(noise({ seconds: 0.01, seed: 2 }), { format: '16', markers })
    const random = createRandom(424_242)
    for (let n = 0; n < 600; n++) {
      const broken = whole.slice(0, 1 + Math.floor(random() * whole.length))
      for (let k = 0; k < 4; k++)
        broken[Math.floor(random() * Math.min(80, broken.length))] = Math.floor(random() * 256)
      expect(
        codeOf(() => readWav(broken, 'r.wav')),
        `round ${n}`,
      ).toMatch(/^(no error|audio\/)/)
    }
  })
})
