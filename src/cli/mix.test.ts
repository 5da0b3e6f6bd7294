import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { zipSync } from 'fflate'
import { parseMidi } from 'midi-file'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { analyse, openTempo, readWav, type TempoLine, writeWav } from '../core'
import { demoMakers } from '../core/demo/sounds'
import { bestLag } from '../core/testing/lag'
import { makeLoop } from '../core/testing/loops'
import { zumbet } from './testing/zumbet'

/** `mix` and `tempo`, as they are used: sessions and sounds in a folder, files that come out. */

let folder: string
const place = (name: string) => join(folder, name)
const loop = makeLoop({ bpm: 97, bars: 2, style: 'fourFloor', seed: 4 }).audio

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-mix-'))
  writeFileSync(place('loop.wav'), writeWav(loop, { format: '24' }))
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const tempoLine: TempoLine = [
  { beat: 0, bpm: 131 },
  { beat: 4, bpm: 131, curve: 'linear' },
  { beat: 12, bpm: 110 },
]
const session = {
  version: 2,
  tempoLine,
  beatsPerBar: 4,
  sources: [{ id: 'a', file: 'loop.wav', hand: { bpm: 97, firstBeat: 0 } }],
  parts: [
    { source: 'a', method: 'splice', startBeat: 0, beats: 16, repeat: true, gainDb: -6 },
    {
      source: 'a',
      method: 'vocoder',
      startBeat: 2,
      lock: 'seconds',
      stretch: 1.2,
      semitones: -5,
      gainDb: -6,
      row: 'Low',
    },
  ],
}
const given = (name: string, change: object = {}) => {
  writeFileSync(place(name), JSON.stringify({ ...session, ...change }))
  return place(name)
}
const rmsOf = (of: Float32Array) => Math.sqrt(of.reduce((sum, x) => sum + x * x, 0) / of.length)
const samplesOf = (file: string) => readWav(readFileSync(file), file).audio

describe('zumbet mix', () => {
  it('finds out what timing comes to that was written by hand: pins move their hit and no other, a rule all', () => {
    const beat = 60 / 97
    const one = {
      tempoLine: [{ beat: 0, bpm: 97 }],
      parts: [{ source: 'a', method: 'splice', startBeat: 0, lock: 'bars' }],
    }
    const mixed = (name: string, timing?: object) => {
      const sources = [{ ...session.sources[0], ...(timing && { timing }) }]
      const run = zumbet(
        'mix',
        given(`${name}.json`, { ...one, sources }),
        place(`${name}.wav`),
        '--rate',
        String(loop.sampleRate),
      )
      expect(run.status).toBe(0)
      return samplesOf(place(`${name}.wav`))
    }
    const attacksOf = (audio: ReturnType<typeof samplesOf>) =>
      (analyse(audio, ['attacks']).attacks ?? []).map(({ frame }) => frame / audio.sampleRate)
    const plain = attacksOf(mixed('plain'))
    const near = (times: readonly number[], at: number) => Math.min(...times.map((time) => Math.abs(time - at)))
    const moment = plain.reduce((best, at) => (Math.abs(at - 2 * beat) < Math.abs(best - 2 * beat) ? at : best))
    const moved = attacksOf(mixed('pinned', { pins: [{ source: moment, own: moment + 0.04 }] }))
    expect(near(moved, moment + 0.04)).toBeLessThan(0.002)
    for (const at of plain) if (Math.abs(at - moment) > 0.01) expect(near(moved, at)).toBeLessThan(0.002)
    const swung = attacksOf(mixed('swung', { rule: { grid: '1/8', swing: 60, strength: 100 } }))
    const late = plain.filter((at) => Math.round(at / (beat / 2)) % 2 === 1)
    expect(late.length).toBeGreaterThan(1)
    for (const at of late) {
      const step = Math.round(at / (beat / 2))
      expect(near(swung, ((step - 1) / 2) * beat + 0.6 * beat)).toBeLessThan(0.003)
    }
  })
  it('times kin as one: by the pins of the one that leads, to the frame', () => {
    const LATE = 137
    const [near] = loop.channels as [Float32Array]
    const far = near.map((_, i) => 0.5 * ((near[i - LATE] ?? 0) + (near[i - LATE - 1] ?? 0)))
    const { sampleRate } = loop
    const write = (name: string, channel: Float32Array) =>
      writeFileSync(place(name), writeWav({ sampleRate, channels: [channel] }, { format: '24' }))
    write('near.wav', near)
    write('far.wav', far)
    const kin = ['near', 'far']
    const of = (id: string) => ({ id, file: `${id}.wav`, hand: { bpm: 97, firstBeat: 0 }, kin })
    const sources = [{ ...of('near'), timing: { rule: { grid: '1/8', swing: 60, strength: 100 } } }, of('far')]
    const parts = kin.map((source) => ({ source, method: 'wsola', startBeat: 0, gainDb: -6 }))
    const made = { tempoLine: [{ beat: 0, bpm: 97 }], sources, parts }
    const run = zumbet('mix', given('kin.json', made), place('kin.wav'), '--stems', place('kin'))
    expect(run.status).toBe(0)
    const [a, b] = readdirSync(place('kin')).map((name) => samplesOf(join(place('kin'), name)).channels[0]) as [
      Float32Array,
      Float32Array,
    ]
    const [first, second] = rmsOf(a) > rmsOf(b) ? [a, b] : [b, a]
    const lags = Array.from({ length: 30 }, (_, n) =>
      bestLag(first, second, Math.round(((n + 0.5) / 30) * (first.length - 8000)), 6000),
    ).filter((lag) => lag !== undefined)
    expect(lags.length).toBeGreaterThan(10)
    for (const lag of lags) expect(Math.abs(lag - LATE)).toBeLessThanOrEqual(1)
    write('far.wav', far.subarray(0, 20_000))
    const refused = zumbet('mix', given('kin2.json', made), place('kin2.wav'))
    expect(refused).toMatchObject({ status: 1, stderr: expect.stringContaining('far.wav') })
  })
  it('writes the mix to the frame, the same for any number of threads, from a zip as well', () => {
    const file = given('s.json')
    const [one, two] = ['1', '2'].map((workers) => {
      const run = zumbet('mix', file, place(`${workers}.wav`), '--workers', workers, '--depth', '32f')
      expect(run).toMatchObject({ status: 0, stderr: '' })
      return readFileSync(place(`${workers}.wav`))
    })
    expect(one?.equals(two as Buffer)).toBe(true)
    const { secondsAt } = openTempo(tempoLine)
    const { channels, sampleRate } = samplesOf(place('1.wav'))
    expect(sampleRate).toBe(loop.sampleRate)
    const ends = [secondsAt(16), secondsAt(2) + (1.2 * (loop.channels[0]?.length ?? 0)) / sampleRate]
    expect(channels[0]?.length).toBe(Math.round(Math.max(...ends) * sampleRate))
    const zip = zipSync({ 'session.json': readFileSync(file), 'loop.wav': readFileSync(place('loop.wav')) })
    writeFileSync(place('s.zumbet'), zip)
    expect(zumbet('mix', place('s.zumbet'), place('zip.wav'), '--depth', '32f')).toMatchObject({ status: 0 })
    expect(readFileSync(place('zip.wav')).equals(one as Buffer)).toBe(true)
  })

  it('begins at a bar with the samples of the whole mix from there on, and ends at one', () => {
    const file = given('cut.json')
    zumbet('mix', file, place('whole.wav'), '--depth', '32f')
    const run = zumbet('mix', file, place('cut.wav'), '--depth', '32f', '--from', '2', '--to', '4')
    expect(run.status).toBe(0)
    const [whole, cut] = ['whole.wav', 'cut.wav'].map((name) => samplesOf(place(name)))
    const { secondsAt } = openTempo(tempoLine)
    const [from, to] = [4, 12].map((beat) => Math.round(secondsAt(beat) * loop.sampleRate)) as [number, number]
    expect(cut?.channels[0]).toEqual(whole?.channels[0]?.subarray(from, to))
  })

  it('writes rows and click beside it: rows sum to the mix, clicks lie on beats', () => {
    const run = zumbet(
      'mix',
      given('stems.json'),
      place('m.wav'),
      '--stems',
      place('stems'),
      '--click',
      place('c.wav'),
      '--depth',
      '32f',
    )
    expect(run).toMatchObject({ status: 0, stderr: '' })
    expect(readdirSync(place('stems')).sort()).toEqual(['Low.wav', 'a.wav'])
    const [mix, low, a, click] = ['m.wav', 'stems/Low.wav', 'stems/a.wav', 'c.wav'].map(
      (name) => samplesOf(place(name)).channels[0] as Float32Array,
    ) as [Float32Array, Float32Array, Float32Array, Float32Array]
    let most = 0
    mix.forEach((value, i) => {
      most = Math.max(most, Math.abs(value - (low[i] ?? 0) - (a[i] ?? 0)))
    })
    expect(most).toBeLessThan(1e-6)
    const { secondsAt } = openTempo(tempoLine)
    for (const beat of [0, 1, 7, 13]) {
      const at = Math.round(secondsAt(beat) * loop.sampleRate)
      expect(Math.max(...click.subarray(at + 20, at + 200))).toBeGreaterThan(0.05)
      if (at > 0) expect(Math.max(...click.subarray(at - 400, at - 1).map(Math.abs))).toBeLessThan(1e-3)
    }
  })

  it('plays sounds of several rates at the one that is asked for, and finds a tempo that nobody said', () => {
    writeFileSync(
      place('winch.wav'),
      writeWav((demoMakers['rope-winch'] as () => { audio: typeof loop })().audio, { format: '24' }),
    )
    const file = given('rates.json', {
      sources: [...session.sources, { id: 'w', file: 'winch.wav' }],
      parts: [...session.parts, { source: 'w', startBeat: 4, beats: 8, method: 'wsola', gainDb: -6 }],
    })
    const run = zumbet('mix', file, place('rates.wav'), '--rate', '96000', '--depth', '16')
    expect(run).toMatchObject({ status: 0, stderr: '' })
    expect(run.stdout).toContain('96000 Hz, 2 channels, 16 bits')
  })

  it.each([
    ['an unknown source', { parts: [{ source: 'gone', startBeat: 0 }] }, 'part 1'],
    ['ids that are taken', { sources: [...session.sources, ...session.sources] }, 'source 2 (a)'],
    ['no tempo at all', { tempoLine: [{ beat: 0, bpm: 0 }] }, 'tempo line event 1'],
    ['a missing file', { sources: [{ id: 'a', file: 'gone.wav' }] }, 'gone.wav'],
    ['a part that begins before 0', { parts: [{ source: 'a', startBeat: -0.5 }] }, 'part 1'],
    ['nothing to mix', { parts: [] }, 'Nothing lies there'],
  ])('refuses %s in one line that names it, and writes nothing', (_, change, named) => {
    const before = readdirSync(folder).sort()
    const run = zumbet('mix', given('bad.json', change), place('bad.wav'), '--stems', place('bad-stems'))
    expect(run).toMatchObject({ status: 1, stdout: '', stderr: expect.stringContaining(named) })
    expect(run.stderr.trim().split('\n')).toHaveLength(1)
    expect(readdirSync(folder).filter((name) => !before.includes(name) && name !== 'bad.json')).toEqual([])
  })

  it('brings a whole set to another tempo and key: what has a note moves, what has none stays, ramps keep their shape', () => {
    const tone = Float32Array.from({ length: 96_000 }, (_, n) =>
      [1, 2, 3, 4].reduce((sum, k) => sum + (0.2 / k) * Math.sin((2 * Math.PI * 220 * k * n) / 48_000), 0),
    )
    writeFileSync(place('tone.wav'), writeWav({ sampleRate: 48_000, channels: [tone] }, { format: '24' }))
    const inKey = (bpms: readonly number[], semitones: number) => ({
      tempoLine: tempoLine.map((event, n) => ({ ...event, bpm: bpms[n] })),
      sources: [...session.sources, { id: 'b', file: 'tone.wav' }],
      parts: [
        session.parts[0],
        { source: 'b', method: 'vocoder', startBeat: 1, lock: 'seconds', stretch: 1.5, semitones, row: 'Tone' },
      ],
    })
    const ratio = 120 / 131
    given('set.json', inKey([131, 131, 110], -2))
    given('moved.json', inKey([131 * ratio, 131 * ratio, 110 * ratio], 1))
    const asked = zumbet('mix', place('set.json'), place('set.wav'), '--bpm', '120', '--semitones', '3')
    expect(asked).toMatchObject({ status: 0, stderr: '' })
    expect(zumbet('mix', place('moved.json'), place('moved.wav')).status).toBe(0)
    expect(readFileSync(place('set.wav')).equals(readFileSync(place('moved.wav')))).toBe(true)
    const far = zumbet('mix', place('set.json'), place('far.wav'), '--bpm', '1500')
    expect(far).toMatchObject({ status: 1, stderr: expect.stringMatching(/Change the set by less/) })
  })

  it('says what was over full scale, and keeps it where it is asked to', () => {
    const loud = given('loud.json', { parts: session.parts.map((part) => ({ ...part, gainDb: 12 })) })
    const run = zumbet('mix', loud, place('loud.wav'))
    expect(run).toMatchObject({ status: 0, stderr: expect.stringContaining('over full scale') })
    expect(zumbet('mix', loud, place('loud.wav'), '--depth', '32f')).toMatchObject({ status: 0, stderr: '' })
    expect(samplesOf(place('loud.wav')).channels[0]?.some((value) => value > 1.5)).toBe(true)
  })

  it('refuses odd flags with its usage', () => {
    for (const words of [
      ['--from', '0'],
      ['--from', '3', '--to', '3'],
      ['--depth', '12'],
      ['--rate', '10'],
    ])
      expect(zumbet('mix', given('s.json'), place('x.wav'), ...words)).toMatchObject({ status: 2 })
  })
})

describe('zumbet tempo', () => {
  it('writes the line of a session, and of a performance whose beats it finds', () => {
    expect(zumbet('tempo', given('t.json'), place('t.out.json'))).toMatchObject({ status: 0, stderr: '' })
    const own = JSON.parse(readFileSync(place('t.out.json'), 'utf8'))
    expect(own).toMatchObject({ beatsPerBar: 4, tempoLine: [{ beat: 0, bpm: 131 }, { curve: 'linear' }, { bpm: 110 }] })
    expect(zumbet('tempo', place('t.json'), place('t.mid'))).toMatchObject({ status: 0 })
    expect(parseMidi(readFileSync(place('t.mid'))).tracks[0]?.[0]).toMatchObject({
      type: 'timeSignature',
      numerator: 4,
    })
    const { audio, truth } = (demoMakers['hull-knocks'] as NonNullable<(typeof demoMakers)[string]>)()
    writeFileSync(place('knocks.wav'), writeWav(audio, { format: '24' }))
    expect(zumbet('tempo', place('knocks.wav'), place('k.json'))).toMatchObject({ status: 0 })
    const played = JSON.parse(readFileSync(place('k.json'), 'utf8'))
    expect(played.tempoLine.length).toBeGreaterThan(8)
    expect(truth.file).toBe('hull-knocks.wav')
    const mean =
      (60 * played.tempoLine.length) /
      played.tempoLine.reduce((sum: number, { bpm }: { bpm: number }) => sum + 60 / bpm, 0)
    expect(Math.abs(mean - 90)).toBeLessThan(2)
  })
  it('refuses a sound without one', () => {
    writeFileSync(
      place('rain.wav'),
      writeWav((demoMakers['rain-on-tin'] as () => { audio: typeof loop })().audio, { format: '24' }),
    )
    expect(zumbet('tempo', place('rain.wav'), place('rain.json'))).toMatchObject({
      status: 1,
      stderr: expect.stringContaining('no tempo that can be relied on'),
    })
    expect(readdirSync(folder)).not.toContain('rain.json')
  })
})
