import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount } from '../audio/block'
import { readWav } from '../audio/readWav'
import { finish } from '../task'
import * as damage from '../testing/damage'
import { AS_WRITTEN } from '../testing/instruments'
import { loopSet, loopStyles, makeLoop } from '../testing/loops'
import { materialSet } from '../testing/materials'
import { drawnItem } from '../testing/scores'
import { noise, sine } from '../testing/signals'
import { type Knowledge, keyName, know, knowKind, knowRhythm } from './know'

const knowing = (audio: AudioBlock, file?: string) => finish(know(audio, file === undefined ? {} : { file }))
const rhythm = (audio: AudioBlock, file?: string) => finish(knowRhythm(audio, file === undefined ? {} : { file }))
const share = (list: readonly boolean[]) => list.filter(Boolean).length / list.length

describe('tempo, over loops of every style from 60 to 180 BPM', () => {
  // seeds that the weights were not fitted to
  const loops = loopSet(5, 60)
  const answers = loops.map((loop) => ({ loop, knowledge: rhythm(loop.audio) }))
  const isRight = ({ loop, knowledge }: (typeof answers)[0]) =>
    knowledge.tempo.bpm !== undefined && Math.abs(knowledge.tempo.bpm / loop.bpm - 1) < 0.01
  const right = answers.filter(isRight)

  it('is right within 1 % on nine of ten, and right but for a factor of two on 98 of 100', () => {
    expect(right.length / answers.length).toBeGreaterThanOrEqual(0.9)
    const within = answers.map(({ loop, knowledge }) =>
      knowledge.tempo.candidates.some(({ bpm }) => [0.5, 1, 2].some((f) => Math.abs(bpm / (f * loop.bpm) - 1) < 0.01)),
    )
    expect(share(within)).toBeGreaterThanOrEqual(0.98)
  })

  it('is as sure as it is right', () => {
    const sure = answers.filter(({ knowledge }) => knowledge.tempo.confidence >= 0.8)
    expect(sure.length).toBeGreaterThan(20)
    expect(share(sure.map(isRight))).toBeGreaterThanOrEqual(0.9)
  })

  it('puts beats within 20 ms of where they were played', () => {
    const near = right.flatMap(({ loop, knowledge }) =>
      loop.beats.map((at) => knowledge.tempo.beats.some((beat) => Math.abs(beat - at) < 0.02)),
    )
    expect(share(near)).toBeGreaterThanOrEqual(0.95)
  })

  it('counts the bars of a loop and what hangs over, within 5 ms', () => {
    const fits = right.map(
      ({ loop, knowledge }) =>
        knowledge.loop?.bars === loop.bars && Math.abs(knowledge.loop.overhangMs - loop.overhangMs) < 5,
    )
    expect(share(fits)).toBeGreaterThanOrEqual(0.95)
  })

  it('gives candidates whose weights are a share of belief, the likeliest first', () => {
    for (const { knowledge } of answers) {
      const { candidates, confidence } = knowledge.tempo
      const weights = candidates.map(({ weight }) => weight)
      expect(weights.reduce((sum, weight) => sum + weight, 0)).toBeLessThanOrEqual(1.0001)
      expect([...weights].sort((a, b) => b - a)).toEqual(weights)
      expect(confidence).toBeLessThanOrEqual(1)
    }
  })

  it('finds every style at a middle tempo, whatever the rate and the channels', () => {
    const styles = loopStyles.filter((style) => style !== 'threeFour' && style !== 'arpeggio')
    const found = styles.map((style, n) => {
      const loop = makeLoop({ seed: 40 + n, style, bpm: 112, bars: 2 })
      const [mono] = loop.audio.channels as [Float32Array]
      const audio = n % 2 === 0 ? loop.audio : { sampleRate: 44_100, channels: [mono, mono.map((v) => -v)] }
      return Math.abs((rhythm(audio).tempo.bpm ?? 0) - 112) < 1
    })
    expect(share(found)).toBeGreaterThan(0.9)
  })
})

describe('a tempo that is told, and one that is heard', () => {
  const loop = makeLoop({ seed: 3, style: 'backbeat', bpm: 108, bars: 4 })

  it('stand side by side when they differ: the ear is believed, the doubt is shown', () => {
    const { tempo } = rhythm(loop.audio, 'capstan_120bpm.wav')
    expect(tempo.bpm).toBe(108)
    const named = tempo.candidates.find(({ bpm }) => bpm === 120)
    expect(named?.evidence).toEqual(['the file name says so', 'not heard in the sound'])
    expect(tempo.confidence).toBeLessThan(rhythm(loop.audio).tempo.confidence)
  })

  it('decide together between the whole and the half', () => {
    const { tempo } = rhythm(loop.audio, 'capstan_54bpm.wav')
    const half = tempo.candidates.find(({ bpm }) => Math.abs(bpm - 54) < 0.1)
    const alone = rhythm(loop.audio).tempo.candidates.find(({ bpm }) => Math.abs(bpm - 54) < 0.1)
    expect(half?.weight).toBeGreaterThan(alone?.weight ?? 0)
    expect(half?.evidence).toContain('the file name says so')
  })

  it('on a sound without a pulse the name is repeated, but not believed', () => {
    const { tempo } = rhythm(noise({ seconds: 4, seed: 2 }), 'rain_90bpm.wav')
    expect(tempo.bpm).toBe(90)
    expect(tempo.confidence).toBeLessThan(0.3)
    expect(tempo.beats).toHaveLength(0)
  })
})

describe('the sounds of The Tide Clock', () => {
  // made by the set-up, which knows what they were made from
  const truths: { id: string; file: string; bpm?: number; bpmByBar?: readonly number[] }[] = JSON.parse(
    readFileSync('public/demo/truth.json', 'utf8'),
  ).sounds
  const demo = Object.fromEntries(
    truths.map((truth) => {
      const { audio } = readWav(readFileSync(`public/demo/${truth.file}`), truth.file)
      return [truth.id, { truth, knowledge: knowing(audio, truth.file) }]
    }),
  ) as Record<string, { truth: { bpm?: number; bpmByBar?: readonly number[] }; knowledge: Knowledge }>
  const of = (id: string) => demo[id]?.knowledge as Knowledge

  it('have their tempo, or none', () => {
    for (const id of ['rope-winch', 'foghorn-tune', 'capstan', 'chain-rattle'])
      expect(of(id).tempo.bpm, id).toBeCloseTo(demo[id]?.truth.bpm as number, 1)
    for (const id of ['guide-line', 'rain-on-tin', 'gull', 'harbour-bell', 'harmonium']) {
      expect(of(id).tempo.bpm, id).toBeUndefined()
      expect(of(id).tempo.confidence, id).toBeLessThan(0.3)
    }
  })

  it('show how the hull knocks wander, bar by bar', () => {
    const { tempo } = of('hull-knocks')
    expect(tempo.drift.percent).toBeGreaterThan(1.5)
    tempo.drift.bars.forEach(({ bpm }, bar) => {
      expect(Math.abs(bpm - (demo['hull-knocks']?.truth.bpmByBar?.[bar] as number))).toBeLessThan(1.5)
    })
    expect(of('rope-winch').tempo.drift.percent).toBe(0)
  })

  it('are whole bars, or hang over', () => {
    expect(of('rope-winch').loop?.bars).toBe(4)
    expect(Math.abs(of('rope-winch').loop?.overhangMs as number)).toBeLessThan(2)
    expect(of('chain-rattle').loop?.bars).toBe(2)
    expect(of('chain-rattle').loop?.overhangMs).toBeCloseTo(370, 0)
    expect(of('hull-knocks').loop).toBeUndefined()
  })

  it('are of their kind, with reasons that carry the figures', () => {
    const kinds = {
      'rope-winch': 'hits',
      'hull-knocks': 'hits',
      harmonium: 'chords',
      'foghorn-tune': 'single line',
      'guide-line': 'single line',
      'rain-on-tin': 'noise',
      gull: 'single line',
      capstan: 'dense mix',
    }
    for (const [id, kind] of Object.entries(kinds)) {
      const { material } = of(id)
      expect(material.kind, id).toBe(kind)
      const { sines, attacks, noise: rest } = material.shares
      expect(sines + attacks + rest).toBeCloseTo(1, 6)
      const largest = Math.round(100 * Math.max(sines, attacks, rest))
      expect(material.reasons.join(), id).toContain(`${largest} %`)
    }
  })

  it('stay of their kind as a lossy file keeps them: without their top, with faint noise where they are', () => {
    const coded = ({ sampleRate, channels }: AudioBlock): AudioBlock => {
      const hiss = noise({ seconds: (channels[0]?.length ?? 0) / sampleRate, seed: 3, sampleRate })
      const low = damage.dull({ sampleRate, channels }, 11_000)
      return {
        sampleRate,
        channels: low.channels.map((samples) =>
          samples.map((v, i) => v + 0.01 * Math.abs(v) * (hiss.channels[0]?.[i] as number)),
        ),
      }
    }
    for (const { id, file } of truths.filter((truth) => ['gull', 'harbour-bell', 'rope-winch'].includes(truth.id))) {
      const { audio } = readWav(readFileSync(`public/demo/${file}`), file)
      expect(knowing(coded(audio)).material.kind, id).toBe(of(id).material.kind)
    }
  })
})

describe('a bell', () => {
  it.each([1, 2, 3, 4, 5, 6])('is struck tones, whichever is drawn: %d', (number) => {
    const { material } = knowing(drawnItem('bell', number).play(AS_WRITTEN).audio)
    expect(material.kind).toBe('chords')
  })
})

describe('material, key and pitch', () => {
  const answers = materialSet(6, 6).map((item) => ({ item, knowledge: knowing(item.audio) }))

  it('has the kind of nine of ten clear sounds right', () => {
    const clear = answers.filter(({ item }) => item.kind !== 'unsure')
    expect(share(clear.map(({ item, knowledge }) => knowledge.material.kind === item.kind))).toBeGreaterThanOrEqual(0.9)
  })

  it('has the same kind where nothing but the kind is asked for', () => {
    for (const { item, knowledge } of answers)
      expect(finish(knowKind(item.audio, knowledge))).toBe(knowledge.material.kind)
  })

  it('is unsure, or calls it a dense mix, when two things sound at once', () => {
    const mixtures = answers.filter(({ item }) => item.kind === 'unsure')
    expect(
      share(mixtures.map(({ knowledge }) => ['unsure', 'dense mix'].includes(knowledge.material.kind))),
    ).toBeGreaterThanOrEqual(0.8)
  })

  it('has root and mode of nine of ten cadences right', () => {
    const tuned = answers.filter(({ item }) => item.key && item.kind !== 'single line')
    const right = tuned.map(
      ({ item, knowledge }) => knowledge.pitch.root === item.key?.root && knowledge.pitch.mode === item.key?.mode,
    )
    expect(share(right)).toBeGreaterThanOrEqual(0.9)
  })

  it('finds no tempo in noise', () => {
    const beds = answers.filter(({ item }) => item.kind === 'noise')
    for (const { item, knowledge } of beds) expect(knowledge.tempo.confidence, item.name).toBeLessThan(0.3)
  })

  it('names the one note of a sound that has one, and how far it is off', () => {
    for (const [hz, name, cents] of [
      [110, 'A', 0],
      [311.13, 'D#', 0],
      [440 * 2 ** (20 / 1200), 'A', 20],
      [261.63 * 2 ** (-30 / 1200), 'C', -30],
    ] as const) {
      const { pitch } = knowing(sine({ hz, seconds: 2 }))
      expect(keyName(pitch)).toBe(name)
      expect((pitch.rootHz as number) / hz).toBeCloseTo(1, 2)
      expect(Math.abs(pitch.tuningCents - cents)).toBeLessThan(5)
    }
  })
})

describe('sounds there is little to know of', () => {
  it.each([
    ['silence', { sampleRate: 48_000, channels: [new Float32Array(96_000)] }],
    ['a single frame', { sampleRate: 48_000, channels: [new Float32Array([0.5])] }],
    ['no frames', { sampleRate: 48_000, channels: [new Float32Array(0)] }],
    ['a hundredth of a second', noise({ seconds: 0.01, seed: 4 })],
    ['a low rate', noise({ seconds: 1, seed: 4, sampleRate: 8000 })],
    ['a high rate and eight channels', noise({ seconds: 0.4, seed: 4, sampleRate: 192_000, channels: 8 })],
    ['a constant', { sampleRate: 48_000, channels: [new Float32Array(48_000).fill(0.5)] }],
  ] as const)('%s gives finite figures and no confidence', (_, audio) => {
    const knowledge = knowing(audio as AudioBlock)
    expect(knowledge.tempo.confidence).toBeLessThan(0.3)
    expect(knowledge.loop).toBeUndefined()
    expect(knowledge.seconds).toBe(frameCount(audio as AudioBlock) / audio.sampleRate)
    const plain = JSON.stringify(knowledge, (_key, value) =>
      typeof value === 'number' && !Number.isFinite(value) ? 'NOT FINITE' : value,
    )
    expect(plain).not.toContain('NOT FINITE')
  })
})
