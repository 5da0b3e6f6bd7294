import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { writeMidi } from 'midi-file'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount, peakOf, readWav, writeWav } from '../core'
import { demoMakers } from '../core/demo/sounds'
import { keyText, readRoot } from '../session/notesFile'
import { zumbet } from './testing/zumbet'

let folder: string
const place = (name: string) => join(folder, name)
const RATE = 48_000

/** notes as [on, off, key] in beats of 120 BPM */
function midi(notes: readonly (readonly [number, number, number])[]): Uint8Array {
  const events = notes
    .flatMap(([on, off, noteNumber]) => [
      { at: on, event: { type: 'noteOn' as const, channel: 0, noteNumber, velocity: 127 } },
      { at: off, event: { type: 'noteOff' as const, channel: 0, noteNumber, velocity: 0 } },
    ])
    .sort((a, b) => a.at - b.at)
  let before = 0
  const track = events.map(({ at, event }) => {
    const deltaTime = Math.round(480 * (at - before))
    before = at
    return { deltaTime, ...event }
  })
  return new Uint8Array(
    writeMidi({
      header: { format: 0, numTracks: 1, ticksPerBeat: 480 },
      tracks: [[...track, { deltaTime: 0, meta: true, type: 'endOfTrack' }]],
    } as Parameters<typeof writeMidi>[0]),
  )
}

const tone: AudioBlock = {
  sampleRate: RATE,
  channels: [Float32Array.from({ length: 2 * RATE }, (_, i) => 0.4 * Math.sin((2 * Math.PI * 220 * i) / RATE))],
}

/** Enough to tell, and soon done. */
const shortened = (audio: AudioBlock): AudioBlock => ({
  ...audio,
  channels: audio.channels.map((channel) => channel.subarray(0, 4 * RATE)),
})

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-play-'))
  writeFileSync(place('tone.wav'), writeWav(tone, { format: '32f' }))
  for (const name of ['harmonium', 'rope-winch', 'rain-on-tin'])
    writeFileSync(
      place(`${name}.wav`),
      writeWav(shortened((demoMakers[name] as () => { audio: AudioBlock })().audio), { format: '24' }),
    )
  writeFileSync(
    place('notes.mid'),
    midi([
      [0, 1, 57],
      [1, 2, 69],
      [2, 3, 45],
    ]),
  )
}, 60_000)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const read = (name: string) => readWav(readFileSync(place(name)), name).audio

/** How much of a run is at a frequency: 1 where it is all. */
function share(samples: Float32Array, hz: number, from: number, frames: number): number {
  let [re, im, all] = [0, 0, 0]
  for (let i = from; i < from + frames; i++) {
    const value = samples[i] as number
    re += value * Math.cos((2 * Math.PI * hz * i) / RATE)
    im += value * Math.sin((2 * Math.PI * hz * i) / RATE)
    all += value * value
  }
  return (2 * (re * re + im * im)) / frames / all
}

describe('zumbet play', () => {
  it('plays notes at their pitch and their time, the root found', async () => {
    const run = zumbet(
      'play',
      place('tone.wav'),
      place('notes.mid'),
      place('out.wav'),
      '--method',
      'vocoder',
      '--release',
      '20',
    )
    expect(run).toMatchObject({ status: 0, stderr: expect.stringContaining('root A3') })
    const [left] = read('out.wav').channels as [Float32Array]
    expect(left.length).toBe(1.5 * RATE + 0.02 * RATE + 1)
    for (const [n, hz] of [220, 440, 110].entries())
      expect(share(left, hz, Math.round((n * 0.5 + 0.1) * RATE), 0.3 * RATE), `${hz} Hz`).toBeGreaterThan(0.95)
  })

  it('plays as tape does where that is wanted, and in turn where there is one voice', async () => {
    const args = [place('tone.wav'), place('notes.mid'), place('tape.wav'), '--method', 'vocoder']
    expect(zumbet('play', ...args, '--length', 'tape', '--root', '220Hz', '--voices', '1').status).toBe(0)
    expect(share(read('tape.wav').channels[0] as Float32Array, 440, 0.6 * RATE, 0.3 * RATE)).toBeGreaterThan(0.95)
  })

  it('says in one line what is wrong, and writes nothing', async () => {
    writeFileSync(place('bad.mid'), 'no midi')
    writeFileSync(place('empty.mid'), midi([]))
    for (const [words, code, text] of [
      [['tone.wav', 'bad.mid'], 1, /is no MIDI file/],
      [['tone.wav', 'empty.mid'], 1, /holds no notes/],
      [['tone.wav', 'none.mid'], 1, /is not there/],
      [['rain-on-tin.wav', 'notes.mid'], 1, /No root is found/],
    ] as const) {
      const run = zumbet('play', ...words.map(place), place('never.wav'))
      expect(run.status, words.join(' ')).toBe(code)
      expect(run.stderr).toMatch(text)
      expect(run.stderr.trim().split('\n')).toHaveLength(1)
    }
    for (const flags of [
      ['--root', 'H9'],
      ['--voices', '0'],
      ['--length', 'both'],
      ['--attack', '-1'],
    ])
      expect(zumbet('play', place('tone.wav'), place('notes.mid'), place('never.wav'), ...flags).status).toBe(2)
    expect(existsSync(place('never.wav'))).toBe(false)
  })

  it('reads roots as people write them', async () => {
    expect(readRoot('A4')).toBe(69)
    expect(readRoot('f#3')).toBe(54)
    expect(readRoot('Eb2')).toBe(39)
    expect(readRoot('440Hz')).toBeCloseTo(69)
    expect(readRoot('220')).toBeCloseTo(57)
    for (const text of ['', 'H2', 'A', '-3', '1e9']) expect(readRoot(text), text).toBeUndefined()
    expect(keyText(69.1)).toBe('A4 +10 c')
  })
})

describe('zumbet picks and imprint', () => {
  it('writes the moments that differ most, as long as asked, and tells why', async () => {
    const run = zumbet(
      'picks',
      place('harmonium.wav'),
      '--count',
      '4',
      '--seconds',
      '0.5',
      '--out',
      place('picks'),
      '--json',
    )
    expect(run.status).toBe(0)
    const told = JSON.parse(run.stdout) as { file: string; seconds: number; unlike: number }[]
    expect(readdirSync(place('picks'))).toHaveLength(4)
    for (const { file, seconds } of told) {
      expect(seconds).toBeGreaterThan(0.48)
      const { audio } = readWav(readFileSync(file), file)
      expect(frameCount(audio)).toBe(Math.round(seconds * RATE))
      for (const channel of audio.channels) expect(Math.abs(channel.at(-1) as number)).toBeLessThan(1e-4)
    }
    const unlike = told.slice(1).map((pick) => pick.unlike)
    expect(unlike).toEqual([...unlike].sort((a, b) => b - a))
  })

  it('lays one sound on another, as long as the body, by every way', async () => {
    for (const by of ['bands', 'columns', 'whole']) {
      const run = zumbet('imprint', place('harmonium.wav'), place('rope-winch.wav'), place(`${by}.wav`), '--by', by)
      expect(run, by).toMatchObject({ status: 0, stderr: '' })
    }
    const body = frameCount(read('harmonium.wav'))
    expect(frameCount(read('bands.wav'))).toBe(body)
    expect(frameCount(read('columns.wav'))).toBe(body)
    expect(frameCount(read('whole.wav'))).toBe(body + frameCount(read('rope-winch.wav')) - 1)
    expect(zumbet('imprint', place('harmonium.wav'), place('rope-winch.wav'), place('x.wav')).status).toBe(2)
  })
})

describe('zumbet render', () => {
  it('takes a drawn filter and levels of layers', async () => {
    writeFileSync(
      place('low.json'),
      JSON.stringify({
        points: [
          { hz: 500, db: 0 },
          { hz: 800, db: -80 },
        ],
      }),
    )
    const render = async (name: string, ...flags: string[]) =>
      zumbet('render', place('harmonium.wav'), place(name), '--method', 'wsola', ...flags).status
    expect(await render('low.wav', '--filter', place('low.json'), '--filter-at', 'after')).toBe(0)
    const [low] = read('low.wav').channels as [Float32Array]
    expect(share(low, 3000, 0, 3 * RATE)).toBeLessThan(1e-6)
    expect(await render('none.wav', '--layers', 'sines:off,attacks:off,noise:off')).toBe(0)
    expect(peakOf(read('none.wav').channels)).toBeLessThan(1e-4)
    for (const flags of [
      ['--layers', 'sines'],
      ['--layers', 'bass:-3'],
      ['--filter-at', 'after'],
    ])
      expect(await render('never.wav', ...flags)).toBe(2)
    writeFileSync(place('bad.json'), '{"points":[{"hz":0,"db":0}]}')
    expect(await render('never.wav', '--filter', place('bad.json'))).toBe(1)
  })
})
