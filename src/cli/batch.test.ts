import { spawn } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import papaparse from 'papaparse'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount, readWav, writeWav } from '../core'
import { demoMakers } from '../core/demo/sounds'
import { createRandom } from '../core/dsp/random'
import { zumbet } from './testing/zumbet'

const RATE = 48_000
let folder: string
const place = (...names: string[]) => join(folder, ...names)

function tone(hz: number, seconds: number): AudioBlock {
  const frames = Math.round(seconds * RATE)
  return {
    sampleRate: RATE,
    channels: [Float32Array.from({ length: frames }, (_, i) => 0.4 * Math.sin((2 * Math.PI * hz * i) / RATE))],
  }
}

const winch = (demoMakers['rope-winch'] as () => { audio: AudioBlock })().audio

const batch = (...words: string[]) => {
  const { status, stdout, stderr } = zumbet('batch', ...words)
  return { status, out: stdout.trim().split('\n'), err: stderr }
}

const soundsIn = (at: string) =>
  readdirSync(at, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.wav'))
    .sort()
const read = (...names: string[]) => readWav(readFileSync(place(...names)), names.at(-1) as string).audio

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-batch-'))
  mkdirSync(place('in', 'low', 'lower'), { recursive: true })
  writeFileSync(place('in', 'winch.wav'), writeWav(winch, { format: '16' }))
  writeFileSync(place('in', 'low', 'tone.wav'), writeWav(tone(220, 1), { format: '24' }))
  writeFileSync(place('in', 'low', 'lower', 'tone.wav'), writeWav(tone(110, 0.5), { format: '32f' }))
  writeFileSync(place('in', 'low', 'broken.wav'), 'not a sound')
  writeFileSync(place('in', 'notes.txt'), 'left alone')
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

describe('many files', () => {
  it('come to one length each, in folders as they lay in; one that is broken is told of and loses none', () => {
    const { status, out, err } = batch(place('in'), place('longer'), '--stretch', '1.5', '--method', 'wsola')
    expect(status).toBe(1)
    expect(out).toHaveLength(4)
    expect(err).toContain('1 of 4 files failed')
    expect(err).toMatch(/broken\.wav/)
    expect(soundsIn(place('longer'))).toEqual(['low/lower/tone.wav', 'low/tone.wav', 'winch.wav'])
    expect(frameCount(read('longer', 'low', 'tone.wav'))).toBe(1.5 * RATE)
    expect(frameCount(read('longer', 'low', 'lower', 'tone.wav'))).toBe(0.75 * RATE)
    const { data } = papaparse.parse<Record<string, string>>(readFileSync(place('longer', 'summary.csv'), 'utf8'), {
      header: true,
      skipEmptyLines: true,
    })
    expect(data.map(({ status: one }) => one)).toEqual(['failed', 'done', 'done', 'done'])
    expect(data.find(({ output }) => output === 'low/tone.wav')).toMatchObject({ stretch: '1.5', seconds: '1.500000' })
    // nothing that is not whole, or of nobody's concern, lies about
    expect(readdirSync(place('longer')).sort()).toEqual(['.batch.jsonl', 'low', 'summary.csv', 'winch.wav'])
  })

  it('come to one tempo, by a method that their material asks for; what has none says so', () => {
    const { out, err } = batch(place('in'), place('tempo'), '--bpm', '120', '--json')
    const rows = out.map((line) => JSON.parse(line))
    const row = rows.find(({ output }) => output === 'winch.wav')
    expect(row).toMatchObject({ status: 'done', material: 'hits', method: 'splice' })
    expect(Math.abs(row.stretch - 96 / 120)).toBeLessThan(0.002)
    expect(err).toContain('The tempo of tone.wav could not be told')
  })

  it('are their sources, bit for bit, where nothing is asked', () => {
    expect(batch(place('in', 'low', 'tone.wav'), place('in', 'winch.wav'), place('plain')).status).toBe(0)
    expect(read('plain', 'tone.wav').channels).toEqual(read('in', 'low', 'tone.wav').channels)
    expect(read('plain', 'winch.wav').channels).toEqual(read('in', 'winch.wav').channels)
  })

  it('are never written over what is there, or what is read, unless that is said', () => {
    const words = [place('in', 'low', 'tone.wav'), place('there'), '--semitones', '2', '--method', 'wsola']
    expect(batch(...words).status).toBe(0)
    const before = readFileSync(place('there', 'tone.wav'))
    const again = batch(...words)
    expect(again.status).toBe(1)
    expect(again.err).toContain('--resume goes on')
    expect(batch(...words, '--resume').out[0]).toContain('kept')
    expect(batch(...words, '--semitones', '3', '--force').status).toBe(0)
    expect(readFileSync(place('there', 'tone.wav')).equals(before)).toBe(false)
    const own = readFileSync(place('in', 'low', 'tone.wav'))
    const over = batch(place('in', 'low', 'tone.wav'), place('in', 'low'), '--semitones', '2', '--force')
    expect(over.err).toContain('is the sound that is read')
    expect(readFileSync(place('in', 'low', 'tone.wav')).equals(own)).toBe(true)
  })

  it('fall into shards that share a folder, and are together what one batch makes', () => {
    const words = [place('in', 'low'), '--stretch', '0.9', '--method', 'splice']
    const [at, ...flags] = words as [string, ...string[]]
    batch(at, place('whole'), ...flags)
    for (const shard of ['1/3', '3/3', '2/3']) batch(at, place('shards'), ...flags, '--shard', shard)
    expect(soundsIn(place('shards'))).toEqual(soundsIn(place('whole')))
    for (const name of soundsIn(place('whole')))
      expect(readFileSync(place('shards', name)).equals(readFileSync(place('whole', name)))).toBe(true)
  })

  it('are all whole whenever the batch is killed, and come to the same when it goes on', async () => {
    mkdirSync(place('many'))
    for (let n = 0; n < 6; n++)
      writeFileSync(place('many', `${n}.wav`), writeWav(tone(100 + 10 * n, 1.5), { format: '24' }))
    const flags = ['--stretch', '1.3', '--method', 'layered', '--workers', '2']
    batch(place('many'), place('undisturbed'), ...flags)
    const random = createRandom(7)
    for (let kill = 0; kill < 3; kill++) {
      const running = spawn(process.execPath, [
        'bin/zumbet.mjs',
        'batch',
        place('many'),
        place('killed'),
        ...flags,
        '--resume',
      ])
      await new Promise((resolve) => setTimeout(resolve, 700 + 1500 * random()))
      running.kill('SIGKILL')
      await new Promise((resolve) => running.once('close', resolve))
      if (statSync(place('killed'), { throwIfNoEntry: false }))
        for (const name of soundsIn(place('killed')).filter((one) => !one.includes('.part')))
          expect(readFileSync(place('killed', name)).equals(readFileSync(place('undisturbed', name))), name).toBe(true)
    }
    expect(batch(place('many'), place('killed'), ...flags, '--resume').status).toBe(0)
    expect(soundsIn(place('killed'))).toEqual(soundsIn(place('undisturbed')))
    for (const name of soundsIn(place('undisturbed')))
      expect(readFileSync(place('killed', name)).equals(readFileSync(place('undisturbed', name))), name).toBe(true)
    expect(readdirSync(place('killed')).filter((name) => name.endsWith('.part'))).toEqual([])
  }, 120_000)

  it('are measured where that is asked, what was harmed most first', () => {
    mkdirSync(place('harmed'))
    writeFileSync(place('harmed', 'a tone.wav'), writeWav(tone(220, 2), { format: '24' }))
    const hits = { sampleRate: winch.sampleRate, channels: winch.channels.map((channel) => channel.slice(0, 3 * RATE)) }
    writeFileSync(place('harmed', 'winch.wav'), writeWav(hits, { format: '24' }))
    const flags = ['--stretch', '4', '--method', 'grain', '--measure']
    expect(batch(place('harmed'), place('figures'), ...flags).status).toBe(0)
    const { data } = papaparse.parse<Record<string, string>>(readFileSync(place('figures', 'summary.csv'), 'utf8'), {
      header: true,
      skipEmptyLines: true,
    })
    expect(data).toHaveLength(2)
    const severities = data.map(({ severity }) => Number(severity))
    expect(severities[0]).toBeGreaterThan(severities[1] as number)
    const both = [place('harmed', 'winch.wav'), place('figures', 'winch.wav')]
    const measured = zumbet('measure', ...both, '--stretch', '4').stdout.split('\n')[0]
    expect(data.find(({ output }) => output === 'winch.wav')?.harm).toBe(measured)
  })

  it('need flags that hold', async () => {
    for (const [words, why] of [
      [[place('in')], 'a folder for the results'],
      [[place('in'), place('x'), '--bpm', '120', '--stretch', '2'], 'both say how long'],
      [[place('in'), place('x'), '--key', 'H major'], '--key takes'],
      [[place('in'), place('x'), '--shard', '4/3'], '--shard takes'],
    ] as const) {
      const { status, err } = batch(...words)
      expect([status, err.includes(why)], err).toEqual([2, true])
    }
  })
})
