import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { basename, join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount, readWav, writeWav } from '../core'
import { demoMakers } from '../core/demo/sounds'
import { createLoudnessMeter } from '../core/measure/loudness'
import { project } from '../core/testing/tone'
import { decodeFile } from '../host/decodeFile'
import { zumbet } from './testing/zumbet'

const RATE = 48_000
let folder: string
const place = (...names: string[]) => join(folder, ...names)
const winch = (demoMakers['rope-winch'] as () => { audio: AudioBlock })().audio
const markers = {
  cues: [
    { frame: 24_000, label: 'tide' },
    { frame: 90_000, label: '' },
  ],
  loops: [{ startFrame: 4800, endFrame: 100_800, kind: 'forward' as const, plays: 0 }],
  rootNote: 45,
  tempo: { bpm: 96, beats: 4, metre: { beats: 4, unit: 4 } },
}

const done = (...words: string[]) => {
  const result = zumbet(...words)
  expect(result.stderr).not.toMatch(/rror/)
  expect(result.status).toBe(0)
  return result
}
/** A diff of so many numbers helps nobody. */
const isSame = (a: AudioBlock, b: AudioBlock) =>
  a.channels.length === b.channels.length &&
  a.channels.every((channel, c) =>
    Buffer.from(channel.buffer).equals(Buffer.from((b.channels[c] as Float32Array).buffer)),
  )
const read = (file: string) => decodeFile(readFileSync(file), basename(file))

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-output-'))
  const channels = winch.channels.map((channel) => channel.slice(0, 2.5 * RATE))
  writeFileSync(place('in.wav'), writeWav({ sampleRate: RATE, channels }, { format: '16', markers }))
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

describe('a result as another kind of file', () => {
  it.each(['16', '24'])('is, as FLAC of %s bits, bit for bit what the WAV file is', async (depth) => {
    const words = ['--method', 'wsola', '--stretch', '1.3', '--depth', depth]
    done('render', place('in.wav'), place(`same${depth}.wav`), ...words)
    done('render', place('in.wav'), place(`same${depth}.flac`), ...words)
    const [wav, flac] = [await read(place(`same${depth}.wav`)), await read(place(`same${depth}.flac`))]
    expect(isSame(flac.audio, wav.audio)).toBe(true)
    expect(flac.markers.cues).toEqual(wav.markers.cues)
    expect(flac.markers.loops).toEqual(wav.markers.loops)
  })

  it('is a plain copy, bit for bit, when nothing is asked', async () => {
    const source = readWav(readFileSync(place('in.wav')), 'in.wav')
    for (const kind of ['wav', 'flac']) {
      done('render', place('in.wav'), place(`copy.${kind}`), '--method', 'layered', '--stretch', '1')
      const copy = await read(place(`copy.${kind}`))
      expect(isSame(copy.audio, source.audio)).toBe(true)
      expect(copy.depth?.bits).toBe(16)
      expect(copy.markers.cues).toEqual(markers.cues)
      expect(copy.markers.rootNote).toBe(45)
    }
  })

  it.each(['mp3', 'opus'])('is as long to the frame as %s, at a rate that it has', async (kind) => {
    done('render', place('in.wav'), place(`a.${kind}`), '--method', 'wsola', '--stretch', '1.1')
    const { audio } = await read(place(`a.${kind}`))
    expect(audio.sampleRate).toBe(48_000)
    expect(frameCount(audio)).toBe(Math.round(1.1 * 2.5 * RATE))
  })

  it('has its marks, root and tempo where they now are', async () => {
    done('render', place('in.wav'), place('moved.wav'), '--method', 'wsola', '--stretch', '1.5', '--semitones', '3')
    const moved = await read(place('moved.wav'))
    expect(moved.markers.cues).toEqual([
      { frame: 36_000, label: 'tide' },
      { frame: 135_000, label: '' },
    ])
    expect(moved.markers.loops[0]).toMatchObject({ startFrame: 7200, endFrame: 151_200 })
    expect(moved.markers.rootNote).toBe(48)
    expect(moved.markers.tempo).toEqual({ bpm: 64, beats: 4, metre: { beats: 4, unit: 4 } })
    done('render', place('in.wav'), place('bare.wav'), '--method', 'wsola', '--stretch', '1.5', '--markers', 'drop')
    expect((await read(place('bare.wav'))).markers).toEqual({ cues: [], loops: [] })
  })

  it('is brought to a loudness, and to one channel', async () => {
    done('render', place('in.wav'), place('loud.wav'), '--method', 'wsola', '--lufs', '-18', '--channels', 'mono')
    const { audio, markers: kept } = await read(place('loud.wav'))
    expect(audio.channels).toHaveLength(1)
    const meter = createLoudnessMeter(RATE, 1)
    meter.add(audio.channels, frameCount(audio))
    expect(meter.finish()).toBeCloseTo(-18, 1)
    expect(kept.cues).toEqual(markers.cues)
  })

  it('is dithered in shape where that is asked', async () => {
    const words = ['--method', 'wsola', '--stretch', '1.2', '--depth', '16']
    done('render', place('in.wav'), place('flat.wav'), ...words)
    done('render', place('in.wav'), place('shaped.wav'), ...words, '--dither', 'shaped')
    done('render', place('in.wav'), place('plain.wav'), ...words, '--dither', 'none')
    const samples = (name: string) => readWav(readFileSync(place(name)), name).audio.channels[0] as Float32Array
    const undithered = samples('plain.wav')
    const off = (name: string) => samples(name).map((value, i) => value - (undithered[i] as number))
    const lowPower = (error: Float32Array) => {
      let sum = 0
      for (let hz = 3000; hz < 4000; hz += 7) sum += project(error.slice(0, 20_000), (2 * Math.PI * hz) / RATE).power
      return sum
    }
    expect(lowPower(off('shaped.wav'))).toBeLessThan(lowPower(off('flat.wav')) / 3)
  })
})

describe('a method that is chosen by measuring', () => {
  it('is the first of those that advice ranks, told with its reason, and kept in the recipe', async () => {
    const wanted = ['--stretch', '1.3', '--semitones', '2']
    const channels = winch.channels.map((channel) => channel.slice(0, 1.25 * RATE))
    writeFileSync(place('short.wav'), writeWav({ sampleRate: RATE, channels }, { format: '16' }))
    const { stderr: err } = done(
      'render',
      place('short.wav'),
      place('auto.wav'),
      '--method',
      'auto',
      ...wanted,
      '--save-recipe',
      place('auto.json'),
    )
    const { recipe } = JSON.parse(readFileSync(place('auto.json'), 'utf8'))
    const advice = zumbet('advise', place('short.wav'), ...wanted, '--json', '--workers', '1')
    const [first] = JSON.parse(advice.stdout)
    expect(recipe.methodId).toBe(first.methodId)
    expect(err).toContain(`: ${first.reason}`)
    done('render', place('short.wav'), place('named.wav'), '--method', first.methodId, ...wanted)
    expect(readFileSync(place('auto.wav')).equals(readFileSync(place('named.wav')))).toBe(true)
  })

  it('takes no settings of a method that nobody named', async () => {
    const { status, stderr: err } = zumbet(
      'render',
      place('in.wav'),
      place('x.wav'),
      '--method',
      'auto',
      '--set',
      'seed=2',
    )
    expect(status).toBe(2)
    expect(err).toContain('--set is about one method')
  })
})

describe('a recipe in a file', () => {
  it('makes the very bytes again, whatever kind of file', async () => {
    for (const kind of ['wav', 'flac', 'mp3', 'opus']) {
      const [first, second] = [place(`first.${kind}`), place(`second.${kind}`)]
      const saved = place(`${kind}.json`)
      const asked = [
        '--method',
        'grain',
        '--stretch',
        '1.7',
        '--seed',
        '9',
        '--semitones',
        '-2',
        '--lufs',
        '-20',
        '--tags',
      ]
      done('render', place('in.wav'), first, ...asked, '--date', '2026-11-29', '--save-recipe', saved)
      done('render', place('in.wav'), second, '--recipe', saved)
      expect(readFileSync(second).equals(readFileSync(first))).toBe(true)
    }
  })

  it('can be a recipe alone, written by hand, made into any kind of file', async () => {
    writeFileSync(place('hand.json'), JSON.stringify({ methodId: 'wsola', stretch: 2 }))
    done('render', place('in.wav'), place('hand.flac'), '--recipe', place('hand.json'), '--format', 'flac')
    expect(frameCount((await read(place('hand.flac'))).audio)).toBe(5 * RATE)
  })

  it('is told of where it does not hold, and nothing is written', async () => {
    const wrong: [string, string][] = [
      ['{', 'not JSON'],
      ['{"methodId":"wsola","stretch":"long"}', '"stretch"'],
      ['{"methodId":"nobody"}', 'nobody'],
      ['{"methodId":"wsola","stretch":5000}', '5000'],
      ['{"zumbet":"recipe","version":1,"recipe":{"methodId":"wsola"},"range":{"start":0,"end":9999999}}', '9999999'],
    ]
    for (const [text, told] of wrong) {
      writeFileSync(place('wrong.json'), text)
      const { status, stderr: err } = zumbet(
        'render',
        place('in.wav'),
        place('never.wav'),
        '--recipe',
        place('wrong.json'),
      )
      expect(status).toBe(1)
      expect(err).toContain(told)
      expect(existsSync(place('never.wav'))).toBe(false)
    }
  })
})

it.each([
  [['a.mp3', '--depth', '16'], '--depth'],
  [['a.wav', '--format', 'flac'], '.flac'],
  [['a.mp3', '--rate', '96000'], '48000'],
  [['a.flac', '--kbps', '192'], '--kbps'],
  [['a.wav', '--lufs', '3'], '--lufs'],
  [['a.wav', '--ceiling', '-1'], '--lufs'],
  [['a.xyz'], '.wav'],
  [['a.wav', '--channels', 'five'], '--channels'],
  [['a.wav', '--recipe', 'x.json', '--stretch', '2'], '--stretch'],
])('flags that contradict each other are bad usage: %j', async ([output, ...flags], told) => {
  const { status, stderr: err } = zumbet(
    'render',
    place('in.wav'),
    place(output as string),
    '--method',
    'wsola',
    ...flags,
  )
  expect(status).toBe(2)
  expect(err).toContain(told)
})

describe('a mix and a batch', () => {
  it('are as well files of any kind, at a loudness', async () => {
    writeFileSync(
      place('session.json'),
      JSON.stringify({
        version: 2,
        tempoLine: [{ beat: 0, bpm: 96 }],
        sources: [{ id: 'w', file: 'in.wav', hand: { bpm: 96, firstBeat: 0 } }],
        parts: [{ source: 'w', method: 'splice', startBeat: 0 }],
      }),
    )
    done('mix', place('session.json'), place('mix.flac'), '--stems', place('stems'), '--lufs', '-20')
    done('mix', place('session.json'), place('mix.wav'), '--lufs', '-20')
    const [flac, wav] = [await read(place('mix.flac')), await read(place('mix.wav'))]
    expect(isSame(flac.audio, wav.audio)).toBe(true)
    const meter = createLoudnessMeter(flac.audio.sampleRate, 2)
    meter.add(flac.audio.channels, frameCount(flac.audio))
    expect(meter.finish()).toBeCloseTo(-20, 1)
    expect(readdirSync(place('stems')).every((name) => name.endsWith('.flac'))).toBe(true)
  })

  it('a batch names its files by their kind, says their loudness, and gives marks and the new tempo along', async () => {
    mkdirSync(place('sounds'))
    writeFileSync(place('sounds', 'winch.wav'), readFileSync(place('in.wav')))
    const words = ['--bpm', '96:120', '--method', 'wsola', '--format', 'flac', '--lufs', '-23']
    done('batch', place('sounds'), place('out'), ...words)
    expect(readdirSync(place('out')).filter((name) => !name.startsWith('.'))).toEqual(['summary.csv', 'winch.flac'])
    const made = await read(place('out', 'winch.flac'))
    expect(made.markers.tempo?.bpm).toBe(120)
    expect(made.markers.cues[0]).toEqual({ frame: 19_200, label: 'tide' })
    expect(readFileSync(place('out', 'summary.csv'), 'utf8')).toContain('-23.0')
    const again = done('batch', place('sounds'), place('out'), ...words, '--resume').stdout
    expect(again).toContain('kept')
  })
})
