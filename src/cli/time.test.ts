import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { parseMidi } from 'midi-file'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { readWav, writeWav } from '../core'
import { timedLoop } from '../core/testing/timedLoops'
import { zumbet } from './testing/zumbet'

let folder: string
const place = (name: string) => join(folder, name)
const BPM = 104
const swung = timedLoop('dense', (n) => (n % 2 ? 0.018 : 0), BPM)
const straight = timedLoop('dense', () => 0, BPM)

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-time-'))
  writeFileSync(place('swung.wav'), writeWav(swung.audio, { format: '32f' }))
  writeFileSync(place('straight.wav'), writeWav(straight.audio, { format: '32f' }))
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const groove = (file: string) =>
  JSON.parse(zumbet('groove', place(file), '--bpm', String(BPM), '--json').stdout) as {
    steps: { step: number; offsetMs: number; hits: number }[]
  }
const analysed = (file: string) => JSON.parse(zumbet('analyse', place(file), '--json').stdout)

describe('zumbet time', () => {
  it('draws a swung loop straight, tells how it was, and moves nothing when asked again', () => {
    const run = zumbet('time', place('swung.wav'), place('out.wav'), '--bpm', String(BPM), '--method', 'splice')
    expect(run).toMatchObject({ status: 0, stderr: expect.stringContaining('late') })
    const made = readWav(readFileSync(place('out.wav')), 'out.wav').audio
    expect(made.channels[0]).toHaveLength(swung.audio.channels[0]?.length as number)
    for (const { offsetMs } of groove('out.wav').steps) expect(Math.abs(offsetMs)).toBeLessThan(1)
    expect(analysed('out.wav').offGrid.words).toBe('tight')
    const again = zumbet('time', place('out.wav'), place('again.wav'), '--bpm', String(BPM), '--method', 'splice')
    expect(again.stderr).toMatch(/ 0 of \d+ attacks moved/)
  })
  it('lays a groove, from a sound or from a file, to within 3 ms a step', () => {
    writeFileSync(place('g.json'), zumbet('groove', place('swung.wav'), '--bpm', String(BPM), '--json').stdout)
    for (const [n, from] of ['swung.wav', 'g.json'].entries()) {
      const out = `laid${n}.wav`
      const run = zumbet(
        'time',
        place('straight.wav'),
        place(out),
        '--bpm',
        String(BPM),
        '--groove',
        place(from),
        '--method',
        'wsola',
      )
      expect(run.status).toBe(0)
      for (const { step, offsetMs } of groove(out).steps)
        expect(Math.abs(offsetMs - (step % 2 ? 18 : 0))).toBeLessThan(3)
    }
  })
  it('times kin as one, each into a file of its own', () => {
    const run = zumbet(
      'time',
      place('swung.wav'),
      place('a.wav'),
      '--bpm',
      String(BPM),
      '--with',
      `${place('straight.wav')}:${place('b.wav')}`,
    )
    expect(run).toMatchObject({ status: 0, stdout: expect.stringContaining('b.wav') })
    const [a, b] = ['a.wav', 'b.wav'].map((name) => readWav(readFileSync(place(name)), name).audio.channels[0]?.length)
    expect(a).toBe(b)
  })
  it('slows a part by a speed curve, with no rule, to the frame', () => {
    writeFileSync(
      place('curve.json'),
      JSON.stringify({
        points: [
          { seconds: 1, percent: 100 },
          { seconds: 1, percent: 80 },
          { seconds: 2, percent: 80 },
          { seconds: 2, percent: 100 },
        ],
      }),
    )
    expect(
      zumbet('time', place('swung.wav'), place('slow.wav'), '--speed-curve', place('curve.json'), '--method', 'wsola')
        .status,
    ).toBe(0)
    const made = readWav(readFileSync(place('slow.wav')), 'slow.wav').audio.channels[0] as Float32Array
    const own = swung.audio.channels[0] as Float32Array
    expect(made).toHaveLength(own.length + 12_000)
    expect(made.subarray(0, 48_000)).toEqual(own.subarray(0, 48_000))
    expect(made.subarray(108_000)).toEqual(own.subarray(96_000))
  })
  it('refuses what does not hold, and writes nothing', () => {
    writeFileSync(place('bad.json'), '{"pins":[{"source":1,"to":2},{"source":1.5,"to":1.6}]}')
    writeFileSync(
      place('short.wav'),
      writeWav({ sampleRate: 48_000, channels: [new Float32Array(480)] }, { format: '16' }),
    )
    const cases: [string[], number, string][] = [
      [['--pins', place('bad.json')], 1, 'would pass'],
      [['--pins', place('nowhere.json')], 1, 'nowhere.json'],
      [['--with', `${place('short.wav')}:${place('s.wav')}`], 1, 'Kin were recorded together'],
      [['--with', place('short.wav')], 2, '--with takes'],
      [['--with', `${place('straight.wav')}:${place('x.wav')}`], 2, 'written twice'],
      [['--grid', '1/5'], 2, '--grid takes'],
      [['--strength', '120'], 2, '--strength takes'],
      [['--swing', '20'], 2, '--swing takes 50'],
      [['--groove', place('bad.json')], 1, 'is no groove'],
      [['--method', 'nothing'], 2, 'no method'],
    ]
    for (const [flags, status, text] of cases) {
      const run = zumbet('time', place('swung.wav'), place('x.wav'), ...flags)
      expect([flags, run.status]).toEqual([flags, status])
      expect(run.stderr).toContain(text)
      expect(existsSync(place('x.wav'))).toBe(false)
    }
  })
})

describe('zumbet groove', () => {
  it('writes a note for each step where it is played, as MIDI', () => {
    expect(zumbet('groove', place('swung.wav'), '--bpm', String(BPM), '--midi', place('g.mid')).status).toBe(0)
    const { header, tracks } = parseMidi(readFileSync(place('g.mid')))
    let tick = 0
    const starts: number[] = []
    for (const event of tracks[0] ?? []) {
      tick += event.deltaTime
      if (event.type === 'noteOn' && event.velocity > 0) starts.push(tick)
    }
    const ticksAMs = ((header.ticksPerBeat ?? 0) * BPM) / 60_000
    const { steps } = groove('swung.wav')
    expect(starts).toHaveLength(steps.length)
    steps.forEach(({ step, offsetMs }, n) => {
      expect(Math.abs((starts[n] as number) - step * 240 - Math.max(0, offsetMs * ticksAMs))).toBeLessThan(2)
    })
  })
})
