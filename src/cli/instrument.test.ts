import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { unzipSync } from 'fflate'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { readWav, writeWav } from '../core'
import { block } from '../core/testing/signals'
import { cents, fitTone } from '../core/testing/tone'
import { zumbet } from './testing/zumbet'

const RATE = 44_100
let folder: string
const place = (...names: string[]) => join(folder, ...names)
const hzOf = (key: number) => 440 * 2 ** ((key - 69) / 12)

const instrument = (...words: string[]) => {
  const { status, stdout: out, stderr: err } = zumbet('instrument', ...words)
  return { status, out, err }
}

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-instrument-'))
  const tone = block(RATE, 1, RATE, (i) => 0.4 * Math.sin((2 * Math.PI * hzOf(57) * i) / RATE))
  const loops = [{ startFrame: 4410, endFrame: 39_690, kind: 'forward' as const, plays: 0 }]
  writeFileSync(place('tone.wav'), writeWav(tone, { format: '24', markers: { cues: [], loops } }))
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

it('has a sample for every so many semitones, each in tune, as long as the others, with its root and loop', async () => {
  const words = ['--root', 'A3', '--every', '4', '--from', 'F3', '--to', 'D4', '--method', 'vocoder', '--play', 'loop']
  const { status, out } = instrument(place('tone.wav'), place('out'), ...words, '--stretch', '1.5', '--release', '300')
  expect(status).toBe(0)
  expect(out).toContain('3 samples, F3 to D4')
  const text = readFileSync(place('out', 'tone.sfz'), 'utf8')
  expect(text).toContain('loop_mode=loop_continuous ampeg_attack=0 ampeg_release=0.3')
  const regions = [
    ...text.matchAll(
      /<region> sample=(\S+) lokey=(\d+) hikey=(\d+) pitch_keycenter=(\d+) loop_start=(\d+) loop_end=(\d+)/g,
    ),
  ]
  expect(regions.map(([, , ...numbers]) => numbers.slice(0, 3).map(Number))).toEqual([
    [53, 55, 53],
    [56, 59, 57],
    [60, 62, 61],
  ])
  for (const [, file = '', , , key, start, end] of regions) {
    const { audio, markers } = readWav(readFileSync(place('out', file)), file)
    const samples = audio.channels[0] as Float32Array
    expect(samples).toHaveLength(1.5 * RATE)
    expect(
      Math.abs(cents(fitTone(samples.subarray(10_000, 50_000), RATE, hzOf(Number(key))).hz, hzOf(Number(key)))),
    ).toBeLessThan(3)
    expect(markers.rootNote).toBe(Number(key))
    expect(markers.loops[0]).toMatchObject({ startFrame: Number(start), endFrame: Number(end) + 1 })
    expect(Number(start)).toBe(1.5 * 4410)
  }
})

it('is one zip where that is asked, with nothing beside it', async () => {
  const words = ['--root', 'A3', '--from', 'A3', '--to', 'A3', '--method', 'wsola', '--format', 'flac', '--zip']
  expect(instrument(place('tone.wav'), place('zip'), ...words).status).toBe(0)
  expect(readdirSync(place('zip'))).toEqual(['tone.zip'])
  const inside = unzipSync(new Uint8Array(readFileSync(place('zip', 'tone.zip'))))
  expect(Object.keys(inside).sort()).toEqual(['samples/tone_057_A3.flac', 'tone.sfz'])
})

it('finds the root where nobody says it', async () => {
  const { status, err } = instrument(
    place('tone.wav'),
    place('found'),
    '--from',
    'A3',
    '--to',
    'A3',
    '--method',
    'wsola',
  )
  expect(status).toBe(0)
  expect(err).toMatch(/root A3( [+−]\d c)? \(found\)/)
})

it.each([
  [['--every', '0'], '--every'],
  [['--root', 'H9'], '--root'],
  [['--from', 'C5', '--to', 'C3'], '--to'],
  [['--root', 'A3', '--from', 'C-1', '--to', 'C9', '--method', 'wsola'], 'semitones from the root'],
  [['--format', 'mp3'], 'WAV or FLAC'],
])('what cannot be is bad usage, and makes nothing: %j', async (flags, told) => {
  const { status, err } = instrument(place('tone.wav'), place('never'), ...flags)
  expect(status).toBe(2)
  expect(err).toContain(told)
  expect(existsSync(place('never'))).toBe(false)
})
