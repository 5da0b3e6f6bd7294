import { spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import {
  linkSync,
  lstatSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { zipSync } from 'fflate'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { writeWav } from '../core'
import { makeLoop } from '../core/testing/loops'
import { chord } from '../core/testing/signals'
import { started, zumbet } from './testing/zumbet'

/** The command keeps its word: about what it ends with, what it leaves behind, and what it writes over. */

let folder: string
const place = (name: string) => join(folder, name)
const names = () => readdirSync(folder).sort()

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-word-'))
  writeFileSync(place('in.wav'), writeWav(chord({ hz: [196, 247], seconds: 0.4 }), { format: '16' }))
  writeFileSync(
    place('loop.wav'),
    writeWav(makeLoop({ bpm: 96, bars: 2, style: 'fourFloor', seed: 4 }).audio, { format: '16' }),
  )
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const method = ['--method', 'splice'] as const

describe('zumbet', () => {
  it('tells its help and its version with any command, and ends with 0', () => {
    for (const words of [
      ['--help'],
      ['render', '--help'],
      ['help', 'sweep'],
      ['session', '--help'],
      ['fit', 'x', '--help'],
    ])
      expect(zumbet(...words), words.join(' ')).toMatchObject({
        status: 0,
        stderr: '',
        stdout: expect.stringContaining('zumbet '),
      })
    const { version } = JSON.parse(readFileSync('package.json', 'utf8'))
    for (const words of [['--version'], ['render', '--version']])
      expect(zumbet(...words)).toMatchObject({ status: 0, stdout: `zumbet ${version}\n` })
    expect(started('--version')).toEqual({ status: 0, stdout: `zumbet ${version}\n`, stderr: '' })
    expect(zumbet('render').stderr).toContain('zumbet render IN OUT.wav')
    expect(zumbet('render').stderr).not.toContain('zumbet sweep')
  })

  it.each([
    ['sweep', 'in.wav', '--methods', 'moonshine'],
    ['sweep', 'in.wav', '--formant-semitones', '3'],
    ['sweep', 'in.wav', '--formants', 'shift', '--formant-semitones', '99'],
    ['sweep', 'in.wav', '--hold-attacks', '101'],
    ['advise', 'in.wav', '--stretch', '-3'],
    ['measure', 'in.wav', 'in.wav', '--stretch', '0'],
    ['fit', 'in.wav', 'out.wav', '--seconds', '1', '--method', 'moonshine'],
    ['fit', 'in.wav', 'out.wav', '--seconds', '100000'],
    ['analyse', 'in.wav', '--sensitivity', '200'],
    ['layers', 'in.wav', 'layers', '--depth', '12'],
  ])('ends with 2 for a value that makes no sense: %s %s %s %s', (...words) => {
    const run = zumbet(...words.map((word) => (/\.wav$|^layers$/.test(word) && word !== words[0] ? place(word) : word)))
    expect(run.status).toBe(2)
    expect(run.stdout).toBe('')
  })

  it('ends its process with what the command came to', () => {
    expect(started('sweep', place('in.wav'), '--methods', 'moonshine')).toEqual(
      zumbet('sweep', place('in.wav'), '--methods', 'moonshine'),
    )
    expect(started('session', place('none.json'))).toEqual(zumbet('session', place('none.json')))
    expect(started('info', place('in.wav'))).toMatchObject({ status: 0, stdout: expect.stringContaining('48000 Hz') })
  })

  it.each(['SIGINT', 'SIGTERM', 'SIGHUP'] as const)(
    'ends at once by %s, one thread busy, and leaves nothing',
    async (signal) => {
      const before = names()
      for (const words of [
        ['render', place('loop.wav'), place('far.wav'), '--method', 'layered', '--stretch', '900', '--workers', '1'],
        ['sweep', place('loop.wav')],
      ]) {
        const child = spawn(process.execPath, ['bin/zumbet.mjs', ...words], { stdio: 'ignore' })
        const ended = once(child, 'exit')
        const began = Date.now()
        const ready = () => words[0] !== 'render' || readdirSync(folder).some((name) => name.endsWith('.part'))
        while (!ready() || Date.now() - began < 1500) await new Promise((resolve) => setTimeout(resolve, 20))
        child.kill(signal)
        const [status] = (await ended) as [number]
        expect(status).toBe({ SIGINT: 130, SIGTERM: 143, SIGHUP: 129 }[signal])
        expect(names()).toEqual(before)
      }
    },
  )

  it('writes over what it reads only when told to, under any name of it', () => {
    const original = readFileSync(place('in.wav'))
    writeFileSync(place('own.wav'), original)
    symlinkSync(place('own.wav'), place('soft.wav'))
    linkSync(place('own.wav'), place('hard.wav'))
    for (const name of ['own.wav', 'soft.wav', 'hard.wav', './own.wav'])
      for (const words of [
        ['render', ...method, '--stretch', '2'],
        ['fit', '--seconds', '1', ...method],
      ]) {
        const [command, ...flags] = words as [string, ...string[]]
        const run = zumbet(command, place('own.wav'), place(name), ...flags)
        expect(run).toMatchObject({ status: 1, stderr: expect.stringContaining('--force') })
        expect(readFileSync(place('own.wav')).equals(original)).toBe(true)
      }
    expect(zumbet('render', place('own.wav'), place('own.wav'), ...method, '--stretch', '2', '--force').status).toBe(0)
    expect(readFileSync(place('own.wav')).length).toBeGreaterThan(1.9 * original.length)
    for (const name of ['own.wav', 'soft.wav', 'hard.wav']) rmSync(place(name))
  })

  it('follows a link to where it leads, and lets it be a link', () => {
    mkdirSync(place('elsewhere'))
    symlinkSync(place('elsewhere/real.wav'), place('link.wav'))
    symlinkSync('link.wav', place('chain.wav'))
    expect(zumbet('render', place('in.wav'), place('chain.wav'), ...method).status).toBe(0)
    expect(readdirSync(place('elsewhere'))).toEqual(['real.wav'])
    expect(lstatSync(place('link.wav')).isSymbolicLink()).toBe(true)
    symlinkSync('round.wav', place('round.wav'))
    expect(zumbet('render', place('in.wav'), place('round.wav'), ...method)).toMatchObject({
      status: 1,
      stderr: expect.stringContaining('circle'),
    })
    for (const name of ['link.wav', 'chain.wav', 'round.wav', 'elsewhere']) rmSync(place(name), { recursive: true })
  })

  it('says at once, and in words, where nothing can be written', () => {
    mkdirSync(place('folder.wav'))
    writeFileSync(place('file'), '')
    const cases = [
      ['render', place('loop.wav'), place('folder.wav'), ...method],
      ['render', place('loop.wav'), place('no/such/out.wav'), ...method],
      ['render', place('loop.wav'), place('file/out.wav'), ...method],
      ['fit', place('loop.wav'), '/proc/out.wav', '--bpm', '90', ...method],
      ['layers', place('loop.wav'), '/proc/x'],
      ['layers', place('loop.wav'), place('file')],
      ['render', place('loop.wav'), '/dev/null/out.wav', ...method],
    ]
    for (const words of cases) {
      const run = zumbet(...words)
      expect(run.status, words.join(' ')).toBe(1)
      expect(run.stderr.trim().split('\n'), words.join(' ')).toHaveLength(1)
      expect(run.stderr).toContain('cannot be written')
      expect(run.stderr).not.toMatch(/E[A-Z]{4,}|Error/)
    }
    rmSync(place('folder.wav'), { recursive: true })
    rmSync(place('file'))
  })

  it('says in words what cannot be read', () => {
    // a file that is there, and whose first byte nobody can read, root neither
    const run = zumbet('info', '/proc/self/mem')
    expect(run).toMatchObject({ status: 1, stdout: '', stderr: expect.stringContaining('the disk failed') })
    expect(run.stderr).not.toMatch(/EIO|Error/)
    expect(zumbet('info', folder).stderr).toContain('is a folder')
  })

  it('says in words that a disk takes no more in the middle of the work, and leaves nothing', () => {
    const before = names()
    const words = ['render', place('loop.wav'), place('large.wav'), ...method, '--stretch', '4']
    // so many blocks of 512 bytes, and not one more
    const limited = `ulimit -f 200; exec "${process.execPath}" bin/zumbet.mjs "$@"`
    const { status, stderr } = spawnSync('sh', ['-c', limited, 'sh', ...words], { encoding: 'utf8' })
    expect(status).toBe(1)
    expect(stderr).toContain('large.wav cannot be written: files may not be so large here')
    expect(names()).toEqual(before)
  })

  it('makes no file of no samples', () => {
    writeFileSync(
      place('tick.wav'),
      writeWav({ sampleRate: 48_000, channels: [Float32Array.of(0.5)] }, { format: '16' }),
    )
    const run = zumbet('render', place('tick.wav'), place('none.wav'), ...method, '--stretch', '0.2')
    expect(run).toMatchObject({ status: 1, stderr: expect.stringContaining('not one sample') })
    expect(names()).not.toContain('none.wav')
  })

  it('shows no progress where nobody looks', () => {
    expect(started('sweep', place('in.wav'), '--at', '1.5', '--methods', 'splice')).toMatchObject({
      status: 0,
      stderr: '',
    })
  })
})

describe('zumbet session', () => {
  const bell = writeWav(chord({ hz: [196], seconds: 0.2 }), { format: '16' })

  it('reads one written by hand, beside its sounds or in a zip, and takes the sounds out', () => {
    mkdirSync(place('exhibit/sounds'), { recursive: true })
    writeFileSync(place('exhibit/sounds/bell.wav'), bell)
    const session = {
      bpm: 84,
      sources: [
        { file: 'sounds/bell.wav', target: { stretch: 30 }, variants: [{ methodId: 'drift' }] },
        { file: 'sounds/bell.wav', name: 'Again', variants: [{ methodId: 'moonshine' }] },
      ],
    }
    writeFileSync(place('exhibit/session.json'), JSON.stringify(session))
    writeFileSync(
      place('exhibit.zumbet'),
      zipSync({ 'session.json': Buffer.from(JSON.stringify(session)), 'sounds/bell.wav': bell }),
    )
    for (const file of [place('exhibit/session.json'), place('exhibit.zumbet')]) {
      const run = zumbet('session', file, '--json', '--extract', place('out'))
      expect(run.status).toBe(0)
      expect(run.stderr).toContain('Again: variant 1 method was “moonshine”, is “wsola”')
      expect(JSON.parse(run.stdout)).toMatchObject({
        bpm: 84,
        sources: [
          { name: 'bell', target: { stretch: 30, pitchSemitones: 0 }, variants: [{ letter: 'A', methodId: 'drift' }] },
          { name: 'Again' },
        ],
      })
      expect(readdirSync(place('out')).sort()).toEqual(['bell 2.wav', 'bell.wav'])
      expect(readFileSync(place('out/bell.wav')).equals(Buffer.from(bell))).toBe(true)
      rmSync(place('out'), { recursive: true })
    }
  })

  it('says what is wrong with others, and ends with 1', () => {
    writeFileSync(place('no.zumbet'), 'no zip')
    writeFileSync(place('no.json'), '{')
    writeFileSync(place('list.json'), '[]')
    writeFileSync(place('lost.json'), JSON.stringify({ sources: [{ file: '../../secret.wav' }, { file: 'gone.wav' }] }))
    for (const name of ['no.zumbet', 'no.json', 'list.json', 'nowhere.zumbet'])
      expect(zumbet('session', place(name)), name).toMatchObject({ status: 1, stdout: '' })
    const lost = zumbet('session', place('lost.json'), '--extract', place('out2'))
    expect(lost.status).toBe(1)
    expect(lost.stderr).toContain('../../secret.wav')
    expect(readdirSync(place('out2'))).toEqual([])
  })
})
