import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { methods, readWav, renderBlock, writeWav } from '../core'
import { makeLoop } from '../core/testing/loops'
import { recipe } from '../core/testing/recipes'
import { chord, clicks, noise } from '../core/testing/signals'
import { readArguments, UsageError } from './args'
import { zumbet } from './testing/zumbet'

let folder: string
const source = chord({ hz: [196, 247, 392], seconds: 0.5 })
const place = (name: string) => join(folder, name)

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'zumbet-cli-'))
  writeFileSync(place('in.wav'), writeWav(source, { format: '32f' }))
})
afterAll(() => rmSync(folder, { recursive: true, force: true }))

describe('zumbet render', () => {
  it.each(methods.map((m) => m.id))('writes what the core renders: %s', (id) => {
    const out = place(`${id}.wav`)
    const run = zumbet(
      'render',
      place('in.wav'),
      out,
      '--method',
      id,
      '--stretch',
      '1.31',
      '--semitones',
      '-2',
      '--cents',
      '30',
      '--formants',
      'keep',
      '--seed',
      '7',
    )
    expect(run).toMatchObject({ status: 0, stderr: '' })
    expect(run.stdout.trim().split('\n')).toHaveLength(1)
    const back = readWav(readFileSync(out), 'out.wav')
    const ideal = renderBlock(
      source,
      recipe(id, { stretch: 1.31, pitchSemitones: -2 + 30 / 100, formants: 'keep', seed: 7 }),
    )
    expect(back.audio.channels).toEqual(ideal.channels)
    expect(back.depth).toEqual({ bits: 32, float: true })
  })

  it('makes a long result in pieces that come to the same file for any number of threads', { timeout: 60_000 }, () => {
    writeFileSync(
      place('loop.wav'),
      writeWav(makeLoop({ bpm: 96, bars: 2, style: 'fourFloor', seed: 4 }).audio, { format: '16' }),
    )
    const files = ['1', '3'].map((workers) => {
      const out = place(`pieces-${workers}.wav`)
      const run = zumbet('render', place('loop.wav'), out, '--method', 'wsola', '--stretch', '17', '--workers', workers)
      expect(run).toMatchObject({ status: 0, stderr: '' })
      return readFileSync(out)
    })
    const [one, three] = files as [Buffer, Buffer]
    expect(readWav(one, 'x.wav').audio.channels[0]?.length).toBeGreaterThan(60 * 44_100)
    expect(one.equals(three)).toBe(true)
    expect(zumbet('render', place('loop.wav'), place('x.wav'), '--method', 'wsola', '--workers', '0')).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('--workers takes a whole number from 1 to 64'),
    })
  })

  it('follows a map and a pitch line from files, and says what is wrong with ones that do not hold', () => {
    const map = place('map.json')
    const line = place('line.json')
    writeFileSync(
      map,
      JSON.stringify({
        points: [
          { source: 0, output: 0 },
          { source: 0.1, output: 0.3, curve: 'linear' },
          { source: 0.2, output: 0.5 },
        ],
      }),
    )
    writeFileSync(
      line,
      JSON.stringify({
        points: [
          { output: 0, semitones: 0 },
          { output: 0.5, semitones: 5 },
        ],
      }),
    )
    const run = zumbet(
      'render',
      place('in.wav'),
      place('m.wav'),
      '--method',
      'vocoder',
      '--map',
      map,
      '--pitch-map',
      line,
    )
    expect(run).toMatchObject({ status: 0, stderr: '' })
    expect(readWav(readFileSync(place('m.wav')), 'm.wav').audio.channels[0]).toHaveLength(
      Math.round(0.5 * source.sampleRate),
    )
    for (const [text, why] of [
      ['{', 'not JSON'],
      ['{"points":[{"source":0}]}', 'point 1 needs'],
      ['{"points":[{"source":0,"output":0},{"source":99,"output":1}]}', 'Point 2'],
      ['[]', '2 to'],
    ] as const) {
      writeFileSync(map, text)
      const bad = zumbet('render', place('in.wav'), place('bad.wav'), '--method', 'grain', '--map', map)
      expect(bad.status).toBe(1)
      expect(bad.stderr).toContain(why)
      expect(bad.stderr.trim().split('\n')).toHaveLength(1)
      expect(existsSync(place('bad.wav'))).toBe(false)
    }
    expect(
      zumbet('render', place('in.wav'), place('x.wav'), '--method', 'grain', '--map', map, '--stretch', '2').status,
    ).toBe(2)
  })

  it('takes settings, and depth from the source where none is said', () => {
    writeFileSync(place('sixteen.wav'), writeWav(noise({ seconds: 0.1, seed: 3 }), { format: '16' }))
    expect(
      zumbet(
        'render',
        place('sixteen.wav'),
        place('a.wav'),
        '--method=grain',
        '--stretch=2',
        '--set',
        'grainMs=30',
        '--set',
        'shape=fall',
      ).status,
    ).toBe(0)
    expect(readWav(readFileSync(place('a.wav')), 'a').depth?.bits).toBe(16)
    expect(zumbet('render', place('sixteen.wav'), place('same.wav'), '--method', 'wsola').status).toBe(0)
    expect(readFileSync(place('same.wav'))).toEqual(readFileSync(place('sixteen.wav')))
  })

  it('writes at another rate, as long to the frame', () => {
    const run = zumbet('render', place('in.wav'), place('rate.wav'), '--method', 'wsola', '--rate', '44100')
    expect(run.status).toBe(0)
    const { audio } = readWav(readFileSync(place('rate.wav')), 'rate')
    expect(audio.sampleRate).toBe(44_100)
    expect(audio.channels[0]?.length).toBe(22_050)
  })

  it.each([
    ['a missing file', ['nowhere.wav'], 'nowhere.wav'],
    ['a text named WAV', ['letter.wav'], 'letter.wav'],
    ['an empty file', ['nothing.wav'], 'nothing.wav'],
    ['a cut file', ['cut.wav'], 'cut.wav'],
    ['a folder', ['.'], ''],
  ])('ends with 1 and one clear line for %s, and leaves nothing behind', (_, [input], named) => {
    writeFileSync(place('letter.wav'), 'Dear museum, the tide was low')
    writeFileSync(place('nothing.wav'), '')
    writeFileSync(place('cut.wav'), readFileSync(place('in.wav')).subarray(0, 9000))
    const before = readdirSync(folder).sort()
    const run = zumbet('render', place(input as string), place('bad-out.wav'), '--method', 'wsola')
    expect(run.status).toBe(1)
    expect(run.stdout).toBe('')
    expect(run.stderr.trim().split('\n')).toHaveLength(1)
    expect(run.stderr).toContain(named as string)
    expect(readdirSync(folder).sort()).toEqual(before)
  })

  it.each([
    [['--method', 'tape'], 2],
    [['--method', 'wsola', '--stretch', '0'], 2],
    [['--method', 'wsola', '--semitones', '99'], 2],
    [['--method', 'wsola', '--set', 'segmentMs=9999'], 2],
    [['--method', 'wsola', '--set', 'segmentMs=wide'], 2],
    [['--method', 'wsola', '--set', 'nonsense=1'], 2],
    [['--method', 'wsola', '--stretch', '-3'], 2],
    [['--method', 'wsola', '--set', '__proto__=1'], 2],
    [['--method', 'wsola', '--set', 'constructor=1'], 2],
    [['--method', 'wsola', '--seed', '1.5'], 2],
    [['--method', 'wsola', '--hold-attacks', '101'], 2],
    [['--method', 'wsola', '--pacing', '120'], 2],
    [['--method', 'wsola', '--pacing', '50', '--recipe', 'x.json'], 2],
    [['--method', 'wsola', '--formants', 'shift', '--formant-semitones', '40'], 2],
    [['--method', 'wsola', '--stretch', 'long'], 2],
    [['--method', 'wsola', '--colour', 'red'], 2],
    [['--method', 'wsola', '--depth', '20'], 2],
    [['--method', 'wsola', '--rate', '44.1'], 2],
    [['--method', 'wsola', '--formants', 'gone'], 2],
    [['--stretch', '2'], 2],
    [['--method'], 2],
  ])('says what is wrong with %j and ends with %d', (flags, status) => {
    const run = zumbet('render', place('in.wav'), place('no.wav'), ...flags)
    expect(run.status).toBe(status)
    expect(run.stderr.startsWith('zumbet: ')).toBe(true)
    expect(run.stderr.includes('zumbet render IN OUT.wav')).toBe(status === 2)
    expect(readdirSync(folder)).not.toContain('no.wav')
  })

  it('leaves an older result as it was when the new one fails, and says where it cannot write', () => {
    writeFileSync(place('old.wav'), 'precious')
    expect(zumbet('render', place('letter.wav'), place('old.wav'), '--method', 'wsola').status).toBe(1)
    expect(readFileSync(place('old.wav'), 'utf8')).toBe('precious')
    const run = zumbet('render', place('in.wav'), place('no/such/folder/out.wav'), '--method', 'wsola')
    expect(run.status).toBe(1)
    expect(run.stderr).toContain('cannot be written')
  })
})

describe('zumbet methods and info', () => {
  it('list every method with its settings as JSON', () => {
    const rows = JSON.parse(zumbet('methods', '--json').stdout)
    expect(rows.map((row: { id: string }) => row.id)).toEqual(methods.map((m) => m.id))
    for (const row of rows) {
      expect(row).toMatchObject({ family: expect.any(String), label: expect.any(String) })
      for (const setting of row.settings) {
        expect(setting).toMatchObject({ name: expect.any(String), unit: expect.any(String) })
        if (setting.type === 'number')
          expect(setting.min <= setting.default && setting.default <= setting.max).toBe(true)
      }
    }
  })

  it('tell length, rate, channels, depth and peak', () => {
    const facts = JSON.parse(zumbet('info', place('in.wav'), '--json').stdout)
    expect(facts).toMatchObject({ frames: 24_000, seconds: 0.5, sampleRate: 48_000, channels: 2, depth: '32f' })
    expect(facts.peakDb).toBeCloseTo(20 * Math.log10(facts.peak), 6)
    expect(zumbet('info', 'e2e/fixtures/gull.flac').stdout).toContain('44100 Hz')
  })

  it('end with 2 and help for usage that makes no sense, 0 for help itself', () => {
    for (const words of [[], ['sing'], ['info'], ['methods', 'too', 'many']]) expect(zumbet(...words).status).toBe(2)
    expect(zumbet('--help')).toMatchObject({ status: 0, stderr: '' })
  })
})

describe('readArguments', () => {
  it('takes values after a blank or an equals sign, negative numbers, and places after --', () => {
    const args = readArguments(
      ['in', '--semitones', '-3.5', '--set=a=b', '--set', 'c=d', '--', '--odd.wav'],
      ['semitones', 'set'],
      ['json'],
    )
    expect(args.number('semitones')).toBe(-3.5)
    expect(args.texts('set')).toEqual(['a=b', 'c=d'])
    expect(args.places).toEqual(['in', '--odd.wav'])
    expect(args.flag('json')).toBe(false)
    expect(() => readArguments(['--json=1'], [], ['json'])).toThrow(UsageError)
  })
})
describe('zumbet analyse and layers', () => {
  it('tells where the attacks are', () => {
    const at = [0.2, 0.45, 0.9]
    writeFileSync(place('hits.wav'), writeWav(clicks({ at, seconds: 1.2 }), { format: '24' }))
    const run = zumbet('analyse', place('hits.wav'), '--json')
    expect(run).toMatchObject({ status: 0, stderr: '' })
    const { attacks } = JSON.parse(run.stdout)
    expect(attacks).toHaveLength(3)
    attacks.forEach((attack: { seconds: number; strength: number }, i: number) => {
      expect(Math.abs(attack.seconds - (at[i] as number))).toBeLessThan(0.001)
      expect(attack.strength).toBeGreaterThan(0)
      expect(attack.strength).toBeLessThanOrEqual(1)
    })
    expect(zumbet('analyse', place('nothing.wav')).status).toBe(1)
    expect(zumbet('analyse', place('hits.wav'), '--sensitivity', '200').status).toBe(2)
  })

  it('writes three layers that add up to the sound', () => {
    const run = zumbet('layers', place('in.wav'), place('layers'))
    expect(run).toMatchObject({ status: 0, stderr: '' })
    const parts = ['sines', 'attacks', 'noise'].map(
      (name) => readWav(readFileSync(join(place('layers'), `in_${name}.wav`)), name).audio.channels,
    )
    source.channels.forEach((channel, c) => {
      let apart = 0
      channel.forEach((value, i) => {
        const sum = parts.reduce((total, part) => total + (part[c]?.[i] as number), 0)
        apart = Math.max(apart, Math.abs(sum - value))
      })
      expect(apart).toBeLessThan(1e-5)
    })
  })
})

describe('zumbet analyse, whole', () => {
  const shape = {
    attacks: expect.any(Array),
    tempo: { bpm: 120, confidence: expect.any(Number), drift: { percent: 0 } },
    pitch: { confidence: expect.any(Number), tuningCents: expect.any(Number) },
    material: { kind: expect.any(String), reasons: expect.any(Array) },
    loop: { bars: 4, overhangMs: expect.any(Number) },
  }
  const pulse = () => makeLoop({ seed: 2, style: 'backbeat', bpm: 120, bars: 4 }).audio

  it('prints the contract for a sound, and a line for every file of a folder, bad ones among them', () => {
    mkdirSync(place('shelf/inner'), { recursive: true })
    writeFileSync(place('shelf/loop.wav'), writeWav(pulse(), { format: '16' }))
    writeFileSync(place('shelf/inner/rain.wav'), writeWav(noise({ seconds: 1, seed: 1 }), { format: '16' }))
    writeFileSync(place('shelf/inner/torn.wav'), 'RIFF')
    writeFileSync(place('shelf/notes.txt'), 'low tide at six')
    const one = zumbet('analyse', place('shelf/loop.wav'), '--json')
    expect(JSON.parse(one.stdout)).toMatchObject(shape)

    const all = zumbet('analyse', place('shelf'), '--json')
    expect(all.status).toBe(0)
    const lines = all.stdout
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line))
    expect(lines.map(({ file }) => file)).toEqual([join('inner', 'rain.wav'), join('inner', 'torn.wav'), 'loop.wav'])
    expect(lines[0].tempo.bpm).toBeNull()
    expect(lines[1].error).toContain('torn.wav')
    expect(lines[2]).toMatchObject(shape)
    expect(all.stderr).toContain('torn.wav')
    // threads share the files of a folder, and the halves of one sound
    expect(zumbet('analyse', place('shelf'), '--json', '--workers', '2')).toEqual(all)
    expect(zumbet('analyse', place('shelf/loop.wav'), '--json', '--workers', '2')).toEqual(one)
    mkdirSync(place('nothing'))
    expect(zumbet('analyse', place('nothing')).status).toBe(1)
  })
})

describe('zumbet fit', () => {
  const frames = (file: string) => readWav(readFileSync(place(file)), file).audio.channels[0]?.length
  const fitted = (out: string, ...words: string[]) =>
    zumbet('fit', place('in.wav'), place(out), '--method', 'wsola', ...words)

  it('makes seconds, tempi and bars exact to the frame', () => {
    const own = source.channels[0]?.length as number
    expect(fitted('six.wav', '--seconds', '6').status).toBe(0)
    expect(frames('six.wav')).toBe(288_000)
    expect(fitted('odd.wav', '--seconds', '0.777777').status).toBe(0)
    expect(frames('odd.wav')).toBe(Math.round(0.777777 * 48_000))
    expect(fitted('slower.wav', '--bpm', '128:120').status).toBe(0)
    expect(frames('slower.wav')).toBe(Math.round((own * 128) / 120))
    expect(fitted('bars.wav', '--bars', '1@150').status).toBe(0)
    expect(frames('bars.wav')).toBe(Math.round(1.6 * 48_000))
  })

  it('chooses a method by the material, and says which', () => {
    const run = zumbet('fit', place('in.wav'), place('chosen.wav'), '--seconds', '0.7')
    expect(run.status).toBe(0)
    expect(methods.some(({ id }) => run.stderr.includes(`method ${id} (`))).toBe(true)
  })

  it.each([
    [],
    ['--seconds', '6', '--bars', '4@96'],
    ['--seconds', '-1'],
    ['--bpm', '128:'],
    ['--bpm', '120'],
    ['--bars', '4'],
    ['--bars', '4@0'],
  ])('refuses %j %j and says how it goes', (...words) => {
    const run = fitted('no.wav', ...words)
    expect(run.status).toBe(2)
    expect(run.stderr).toMatch(/--(seconds|bpm|bars)/)
    expect(existsSync(place('no.wav'))).toBe(false)
  })
})

describe('zumbet measure', () => {
  const steps = [0.2, 0.5, 0.9, 1.3, 1.6]
  const hits = clicks({ at: steps, seconds: 2 })

  it('tells as JSON what a result has lost and gained, with places in source time', () => {
    writeFileSync(place('hits.wav'), writeWav(hits, { format: '32f' }))
    const stretched = clicks({ at: steps.map((at) => 1.5 * at), seconds: 3 })
    writeFileSync(place('whole.wav'), writeWav(stretched, { format: '32f' }))
    const harmed = clicks({ at: [0.3, 0.75, 1.35, 1.43, 2.4], seconds: 3 })
    writeFileSync(place('harmed.wav'), writeWav(harmed, { format: '32f' }))
    const good = zumbet('measure', place('hits.wav'), place('whole.wav'), '--stretch', '1.5', '--json')
    expect(good).toMatchObject({ status: 0, stderr: '' })
    const clean = JSON.parse(good.stdout)
    expect(clean.verdict).toMatch(/^Keeps all 5 attacks/)
    for (const artefact of clean.artefacts) {
      expect(artefact).toMatchObject({
        id: expect.any(String),
        value: expect.any(Number),
        unit: expect.any(String),
        audibleFrom: expect.any(Number),
        grade: 'not audible',
        places: expect.any(Array),
      })
    }
    const bad = JSON.parse(
      zumbet('measure', place('hits.wav'), place('harmed.wav'), '--stretch', '1.5', '--json').stdout,
    )
    const of = (id: string) => bad.artefacts.find((artefact: { id: string }) => artefact.id === id)
    expect(of('lost-attacks')).toMatchObject({
      grade: 'severe',
      places: [{ seconds: expect.closeTo(1.3, 2), value: 1 }],
    })
    expect(of('extra-attacks')).toMatchObject({ places: [{ seconds: expect.closeTo(1.43 / 1.5, 2), value: 1 }] })
    expect(bad.verdict).toMatch(/^Keeps 4 of 5 attacks; loses the one at 1\.30 s; one repeated/)
  })

  it('follows a map by hand', () => {
    writeFileSync(place('hits.wav'), writeWav(hits, { format: '32f' }))
    writeFileSync(
      place('map.json'),
      JSON.stringify([
        { source: 0, output: 0 },
        { source: 1, output: 1 },
        { source: 2, output: 3 },
      ]),
    )
    const bent = clicks({ at: steps.map((at) => (at < 1 ? at : 1 + 2 * (at - 1))), seconds: 3 })
    writeFileSync(place('bent.wav'), writeWav(bent, { format: '32f' }))
    const run = zumbet('measure', place('hits.wav'), place('bent.wav'), '--map', place('map.json'))
    expect(run.status).toBe(0)
    expect(run.stdout).toMatch(/^Keeps all 5 attacks/)
    expect(run.stdout).toMatch(/Slip +0\.\d ms +not audible/)
  })

  it('refuses what does not belong together, and says what to do', () => {
    writeFileSync(place('hits.wav'), writeWav(hits, { format: '32f' }))
    writeFileSync(place('slow.wav'), writeWav({ ...hits, sampleRate: 44_100 }, { format: '16' }))
    const lost = zumbet('measure', place('hits.wav'), place('slow.wav'), '--stretch', '1')
    expect(lost.status).toBe(1)
    expect(lost.stderr).toMatch(/44100.*Convert/)
    expect(zumbet('measure', place('hits.wav'), place('in.wav'), '--stretch', '1').stderr).toMatch(/channels/)
    expect(zumbet('measure', place('hits.wav'), place('hits.wav'), '--stretch', '1.5').stderr).toMatch(/--stretch/)
    expect(zumbet('measure', place('hits.wav'), place('hits.wav')).status).toBe(2)
  })
})

describe('zumbet sweep and advise', () => {
  const hits = clicks({ at: [0.2, 0.5, 0.9, 1.3, 1.6], seconds: 2 })
  beforeAll(() => writeFileSync(place('strokes.wav'), writeWav(hits, { format: '32f' })))

  it('measures places of an axis by the methods asked for, the same in every form', () => {
    const asked = ['sweep', place('strokes.wav'), '--at', '0.5,2', '--methods', 'splice,grain']
    const data = JSON.parse(zumbet(...asked, '--json').stdout)
    expect(data.points.map(({ at, methodId }: { at: number; methodId: string }) => `${at} ${methodId}`)).toEqual([
      '0.5 grain',
      '0.5 splice',
      '2 grain',
      '2 splice',
    ])
    const smear = (at: number, methodId: string) =>
      data.points
        .find((point: { at: number; methodId: string }) => point.at === at && point.methodId === methodId)
        .artefacts.find(({ id }: { id: string }) => id === 'smear').value
    expect(smear(2, 'grain')).toBeGreaterThan(smear(2, 'splice') + 1)
    const csv = zumbet(...asked, '--csv').stdout
    expect(csv).toContain(`2,grain,smear,${smear(2, 'grain')},dB,1,`)
    expect(zumbet(...asked).stdout).toMatch(/Grain cloud: clear harm .*\n +0\.5 /)
  })

  it('refuses what it does not know, and says what it takes', () => {
    expect(zumbet('sweep', place('strokes.wav'), '--axis', 'speed').stderr).toMatch(/length, far, pitch/)
    expect(zumbet('sweep', place('strokes.wav'), '--at', '0.77').stderr).toMatch(/--at takes some of 0\.25/)
    expect(zumbet('sweep', place('strokes.wav'), '--methods', 'tide').stderr).toMatch(/splice/)
    expect(zumbet('advise', place('strokes.wav')).status).toBe(2)
  })

  it('ranks the methods for a target, least harm first, with the reason in figures', () => {
    const rows = JSON.parse(zumbet('advise', place('strokes.wav'), '--stretch', '1.5', '--json').stdout)
    expect(rows).toHaveLength(7)
    const harms = rows.map(({ harm }: { harm: number }) => harm)
    expect([...harms].sort((a, b) => a - b)).toEqual(harms)
    const close = rows.filter((row: { close: boolean }) => row.close).map((row: { methodId: string }) => row.methodId)
    expect(close).toContain('splice')
    expect(close).not.toContain('drift')
    expect(rows[0].reason).toMatch(/^\d+ of \d+ attacks/)
    expect(rows[0].verdict).toBeTruthy()
  })
})
