import { describe, expect, it } from 'vitest'
import { analyse } from '../analysis/analysis'
import { type AudioBlock, silence } from '../audio/block'
import { readWav } from '../audio/readWav'
import { createRandom } from '../dsp/random'
import { finish } from '../task'
import type { OwnBeats } from '../timeline/ownBeats'
import { openTempo, type TempoLine } from '../timeline/tempoLine'
import type { Arrangement, MixPart } from './arrangement'
import { clickVoice } from './click'
import { heardAt } from './heardAt'
import { mixTask } from './mixTask'
import { layMix, mixVoice } from './mixVoice'
import { openPart, withRunUp } from './partVoice'

const RATE = 48_000
const BPM = 97

/** Hits at moments, seconds: noise over a low tone, each the same. */
function hits(rate: number, moments: readonly number[], seconds: number): AudioBlock {
  const random = createRandom(3)
  const noise = Float32Array.from({ length: Math.round(0.12 * rate) }, (_, i) => {
    const e = Math.exp(-i / (0.025 * rate))
    return e * (0.4 * (2 * random() - 1) + 0.25 * Math.sin((2 * Math.PI * 300 * i) / rate))
  })
  const channel = new Float32Array(Math.round(seconds * rate))
  for (const moment of moments) {
    const at = Math.round(moment * rate)
    for (let i = 0; i < noise.length && at + i < channel.length; i++)
      channel[at + i] = (channel[at + i] ?? 0) + (noise[i] as number)
  }
  return { sampleRate: rate, channels: [channel, channel] }
}

const loop = (rate: number) =>
  hits(
    rate,
    Array.from({ length: 16 }, (_, n) => (n * 60) / BPM),
    (16 * 60) / BPM,
  )

const part = (change: Partial<MixPart> & { methodId?: string } = {}): MixPart => {
  const { methodId = 'splice', ...rest } = change
  return {
    id: 'a',
    row: 0,
    source: 'loop',
    recipe: { version: 1, stretch: 1, pitchSemitones: 0, formants: 'move', methodId, settings: {}, seed: 1 },
    lock: 'bars',
    startBeat: 0,
    offset: 0,
    feel: 1,
    repeat: false,
    gainDb: 0,
    fadeIn: 0,
    fadeOut: 0,
    own: { bpm: BPM, firstBeat: 0 },
    ...rest,
  }
}

const row = { gainDb: 0, muted: false, solo: false }

const arranged = (tempoLine: TempoLine, parts: readonly MixPart[], rows = [row]): Arrangement => ({
  tempoLine,
  metre: [],
  rows,
  parts,
})

/** what is known of a sound, found once */
const knownOf = new WeakMap<AudioBlock, ReturnType<typeof analyse>>()

/** A mix of parts of one sound, whole or from a frame on, read in blocks of some length. */
function mixed(arrangement: Arrangement, sound: AudioBlock, { from = 0, block = 4096, runUp = false } = {}) {
  const size = { frames: sound.channels[0]?.length ?? 0, sampleRate: sound.sampleRate }
  const known = knownOf.get(sound) ?? analyse(sound, ['attacks', 'pitch'])
  knownOf.set(sound, known)
  const mix = layMix(arrangement, () => size, RATE)
  const voice = mixVoice(mix, (laid) => {
    const own = openPart(laid, sound, known, RATE)
    return runUp ? withRunUp(own) : own
  })
  const channels = silence(2, mix.frames - from)
  for (let at = 0; at < mix.frames - from; at += block)
    voice.read(
      from + at,
      channels.map((channel) => channel.subarray(at, Math.min(mix.frames - from, at + block))),
    )
  return { mix, channels: channels as [Float32Array, Float32Array] }
}

/** How far from a moment the sound first rises to a third of what it comes to there, ms. */
function lateness(channel: Float32Array, second: number): number {
  const at = Math.round(second * RATE)
  let most = 0
  for (let i = -240; i < 480; i++) most = Math.max(most, Math.abs(channel[at + i] ?? 0))
  for (let i = -1000; i < 1500; i++) if (Math.abs(channel[at + i] ?? 0) > 0.3 * most) return (1000 * Math.abs(i)) / RATE
  return 99
}

const middle = (values: number[], share: number) =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(share * values.length))] as number

const lines: Record<string, TempoLine> = {
  steady: [{ beat: 0, bpm: 110 }],
  'a ramp': [
    { beat: 0, bpm: 131 },
    { beat: 8, bpm: 131, curve: 'linear' },
    { beat: 24, bpm: 100 },
  ],
  'a line drawn by hand': Array.from({ length: 9 }, (_, n) => ({
    beat: 4 * n,
    bpm: 105 + 15 * Math.sin(0.7 * n),
    curve: n % 2 ? 'log' : 'linear',
  })),
}

describe('parts whose source is timed', () => {
  it('have the hits that pins move where they are moved to, in each round, and all others on their beats', () => {
    const beat = 60 / BPM
    const pins = [
      { source: beat, own: beat },
      { source: 2 * beat, own: 2 * beat + 0.05 },
      { source: 3 * beat, own: 3 * beat },
    ]
    const timed = part({ beats: 32, repeat: true })
    const line = [{ beat: 0, bpm: 120 }]
    const { channels } = mixed(arranged(line, [{ ...timed, recipe: { ...timed.recipe, pins } }]), loop(RATE))
    for (let n = 0; n < 31; n++) {
      // on the line a second of the source is 97 / 120 of one
      const late = n % 16 === 2 ? 0.05 * (BPM / 120) : 0
      expect(lateness(channels[0], n * 0.5 + late)).toBeLessThan(1)
    }
  })
  it('follow their speed curve where they hold on to seconds, and end that much later', () => {
    const points = [
      { seconds: 2, percent: 100 },
      { seconds: 2, percent: 50 },
      { seconds: 3, percent: 50 },
      { seconds: 3, percent: 100 },
    ]
    const plain = part({ lock: 'seconds' })
    const curved = { ...plain, recipe: { ...plain.recipe, speedCurve: { points } } }
    const sound = loop(RATE)
    const frames = (parts: readonly MixPart[]) => mixed(arranged([{ beat: 0, bpm: 90 }], parts), sound).mix.frames
    expect(frames([curved]) - frames([plain])).toBe(RATE)
  })
  it('are heard faster at their pitch: all of it ends sooner, beats stay beats', () => {
    const sound = loop(RATE)
    const arrangement = arranged(
      [{ beat: 0, bpm: 100 }],
      [part({ beats: 8 }), part({ id: 'b', lock: 'seconds', startBeat: 4 })],
    )
    const slow = mixed(arrangement, sound)
    const fast = mixed(heardAt(arrangement, 2), sound)
    expect(Math.abs(fast.mix.frames - slow.mix.frames / 2)).toBeLessThanOrEqual(1)
    for (let n = 0; n < 4; n++) expect(lateness(fast.channels[0], n * 0.3)).toBeLessThan(1)
    expect(heardAt(arrangement, 1)).toBe(arrangement)
  })
})

describe('parts that are locked to bars', () => {
  for (const [name, line] of Object.entries(lines))
    for (const methodId of ['splice', 'wsola', 'vocoder', 'layered'])
      it(`have their hits on the beats of ${name}, by ${methodId}, round after round`, () => {
        const sound = loop(methodId === 'wsola' ? 44_100 : methodId === 'vocoder' ? 96_000 : RATE)
        const { channels } = mixed(arranged(line, [part({ methodId, beats: 20, repeat: true })]), sound)
        const { secondsAt } = openTempo(line)
        const off = Array.from({ length: 19 }, (_, n) => lateness(channels[0], secondsAt(n + 1)))
        expect(middle(off, 0.5)).toBeLessThan(1)
        expect(middle(off, 0.95)).toBeLessThan(3)
      })

  it('are joined at the same moments of their source in every round', () => {
    const line: TempoLine = [{ beat: 0, bpm: 110 }]
    const plain = part({ beats: 32, repeat: true })
    const joins = [{ source: 5, methodId: 'grain', settings: {} }]
    const sound = loop(RATE)
    const [alone] = mixed(arranged(line, [plain]), sound).channels
    const [joined] = mixed(arranged(line, [{ ...plain, recipe: { ...plain.recipe, joins } }]), sound).channels
    const round = (16 * 60) / 110
    const moment = (5 * BPM) / 110
    for (const lap of [0, 1]) {
      const between = (channel: Float32Array, from: number, to: number) =>
        channel.subarray(Math.round((lap * round + from) * RATE), Math.round((lap * round + to) * RATE))
      expect(between(joined, 0.1, moment - 0.01)).toEqual(between(alone, 0.1, moment - 0.01))
      for (const [from, to] of [
        [moment + 0.05, moment + 1],
        [round - 1, round - 0.1],
      ] as const)
        expect(between(joined, from, to)).not.toEqual(between(alone, from, to))
    }
  })

  it('lay a free performance on a steady line, and a steady loop on the line of a performance', () => {
    const random = createRandom(5)
    const seconds: number[] = []
    for (let at = 0.2, n = 0; n < 24; n++, at += 60 / (96 + 8 * Math.sin(n / 6) + 2 * random())) seconds.push(at)
    const free: OwnBeats = { seconds }
    const played = hits(RATE, seconds, 16)
    const laid = mixed(arranged([{ beat: 0, bpm: 100 }], [part({ own: free, beats: 23 })]), played)
    for (let n = 1; n < 23; n++) expect(lateness(laid.channels[0], 0.6 * n)).toBeLessThan(3)
    const line = seconds.slice(1).map((at, n) => ({ beat: n, bpm: 60 / (at - (seconds[n] as number)) }))
    const follows = mixed(arranged(line, [part({ beats: 23, repeat: true })]), loop(RATE))
    for (let n = 1; n < 23; n++)
      expect(lateness(follows.channels[0], (seconds[n] as number) - (seconds[0] as number))).toBeLessThan(3)
  })

  it('are their source, bit for bit, at its own tempo and pitch', () => {
    const sound = loop(RATE)
    for (const methodId of ['vocoder', 'grain', 'varispeed']) {
      const { mix, channels } = mixed(arranged([{ beat: 0, bpm: BPM }], [part({ methodId })]), sound)
      expect(mix.frames).toBe(sound.channels[0]?.length)
      expect(channels[0]).toEqual(sound.channels[0])
    }
  })

  it('play in half and in double time', () => {
    const [half, double] = [0.5, 2].map((feel) =>
      mixed(arranged([{ beat: 0, bpm: BPM }], [part({ feel })]), loop(RATE)),
    )
    // the loop is cut to whole frames: its end lies half a frame off at most
    expect(Math.abs((half?.mix.frames ?? 0) - 2 * ((16 * 60) / BPM) * RATE)).toBeLessThan(2)
    expect(Math.abs((double?.mix.frames ?? 0) - 0.5 * ((16 * 60) / BPM) * RATE)).toBeLessThan(2)
    for (let n = 1; n < 16; n++) expect(lateness(double?.channels[0] as Float32Array, (n * 30) / BPM)).toBeLessThan(3)
  })
})

describe('a mix', () => {
  const line = lines['a ramp'] as TempoLine
  const parts = [
    part({ id: 'a', beats: 20, repeat: true, gainDb: -3 }),
    part({ id: 'b', methodId: 'vocoder', startBeat: 5.3, beats: 9.7, offset: 2, row: 1, fadeOut: 0.5 }),
    part({
      id: 'c',
      methodId: 'layered',
      startBeat: 8,
      lock: 'seconds',
      row: 1,
      recipe: { ...part().recipe, methodId: 'layered', stretch: 1.4, pitchSemitones: -5 },
    }),
  ]
  const rows = [row, { ...row, gainDb: -6 }]
  const sound = loop(44_100)

  const whole = mixed(arranged(line, parts, rows), sound)

  it('is the same in blocks of any length', () => {
    expect(mixed(arranged(line, parts, rows), sound, { block: 777 }).channels).toEqual(whole.channels)
  })

  it('started anywhere is what the whole mix is from there on, where it runs up', () => {
    for (const from of [1, 222_222]) {
      const later = mixed(arranged(line, parts, rows), sound, { from, runUp: true })
      expect(later.channels[0]).toEqual(whole.channels[0].subarray(from))
    }
  })

  it('ends with its last part, to the frame', () => {
    const { secondsAt } = openTempo(line)
    const { mix } = whole
    const ends = [secondsAt(20), secondsAt(15), secondsAt(8) + 1.4 * ((sound.channels[0]?.length ?? 0) / 44_100)]
    expect(mix.frames).toBe(Math.round(Math.max(...ends) * RATE))
  })

  it('is the sum of its rows, of those that are heard', () => {
    const both = whole.channels[0]
    const [low, high] = [0, 1].map(
      (alone) =>
        mixed(
          arranged(
            line,
            parts,
            rows.map((own, n) => ({ ...own, solo: n === alone })),
          ),
          sound,
        ).channels[0],
    ) as [Float32Array, Float32Array]
    let most = 0
    both.forEach((value, i) => {
      most = Math.max(most, Math.abs(value - (low[i] ?? 0) - (high[i] ?? 0)))
    })
    expect(most).toBeLessThan(1e-6)
    const muted = mixed(arranged(line, parts, [row, { ...row, muted: true }]), sound).channels[0]
    expect(muted.subarray(0, low.length)).toEqual(low.subarray(0, muted.length))
  })

  it('goes round without a click: a steady tone is as smooth at the joints as between', () => {
    const seconds = (4 * 60) / BPM
    // as many whole cycles as there are, so that the loop itself is smooth
    const hz = Math.round(220 * seconds) / seconds
    const tone = Float32Array.from(
      { length: Math.round(seconds * RATE) },
      (_, i) => 0.5 * Math.sin((2 * Math.PI * hz * i) / RATE),
    )
    for (const methodId of ['splice', 'wsola', 'vocoder', 'layered', 'cycle']) {
      const { channels } = mixed(arranged([{ beat: 0, bpm: 110 }], [part({ methodId, beats: 16, repeat: true })]), {
        sampleRate: RATE,
        channels: [tone],
      })
      let step = 0
      for (let i = RATE; i < 5 * RATE; i++)
        step = Math.max(step, Math.abs((channels[0][i] ?? 0) - (channels[0][i - 1] ?? 0)))
      // a sine of that height steps by 0.0145 a frame
      expect(step, methodId).toBeLessThan(0.03)
    }
  })

  it('begins and ends parts that are cut out of their sound without a click', () => {
    const tone = Float32Array.from({ length: 5 * RATE }, (_, i) => 0.5 * Math.sin((2 * Math.PI * 220 * i) / RATE + 1))
    const { mix, channels } = mixed(
      arranged([{ beat: 0, bpm: BPM }], [part({ startBeat: 0.5, beats: 2.3, offset: 1.1 })]),
      { sampleRate: RATE, channels: [tone] },
    )
    const [laid] = mix.parts
    expect([laid?.startsInside, laid?.endsInside]).toEqual([true, true])
    for (let i = 1; i < mix.frames; i++)
      expect(Math.abs((channels[0][i] ?? 0) - (channels[0][i - 1] ?? 0))).toBeLessThan(0.03)
    expect(Math.abs(channels[0].at(-1) ?? 1)).toBeLessThan(0.001)
  })

  it('is written as it sounds, and says what was over full scale', () => {
    const loud = { sampleRate: RATE, channels: [new Float32Array(RATE).fill(0.8)] }
    const mix = layMix(
      arranged([{ beat: 0, bpm: 60 }], [part({ own: undefined }), part({ id: 'b', own: undefined })]),
      () => ({ frames: RATE, sampleRate: RATE }),
      RATE,
    )
    const voice = mixVoice(mix, (laid) => openPart(laid, loud, {}, RATE))
    const bytes: Uint8Array[] = []
    const facts = finish(
      mixTask(voice, { from: 0, to: mix.frames, rate: RATE, format: '32f' }, (more) => bytes.push(more.slice())),
    )
    expect(facts).toMatchObject({ frames: RATE, clippedSamples: 0 })
    expect(facts.peak).toBeCloseTo(1.6, 6)
    const { audio } = readWav(new Uint8Array(Buffer.concat(bytes)), 'mix.wav')
    expect(audio.channels[1]?.[500]).toBeCloseTo(1.6, 6)
    const limited = finish(mixTask(voice, { from: 0, to: mix.frames, rate: RATE, format: '24' }, () => undefined))
    expect(limited.clippedSamples).toBe(2 * RATE)
  })
})

describe('the click', () => {
  it('lies on each beat, to the frame, and accents the first of a bar', () => {
    const line = lines['a ramp'] as TempoLine
    const metre = [
      { bar: 0, beatsPerBar: 3 },
      { bar: 2, beatsPerBar: 4 },
    ]
    const out = silence(2, 4 * RATE)
    const voice = clickVoice({ tempoLine: line, metre }, RATE, 1)
    for (let at = 0; at < 4 * RATE; at += 1000)
      voice.read(
        at,
        out.map((channel) => channel.subarray(at, at + 1000)),
      )
    const { secondsAt } = openTempo(line)
    const peaks = [0, 1, 2, 3, 4, 5, 6, 7].map((beat) => {
      const at = Math.round(secondsAt(beat) * RATE)
      if (at > 0) expect(out[0]?.[at - 1]).toBeCloseTo(0, 2)
      return Math.max(...(out[0] as Float32Array).subarray(at, at + 400))
    })
    const loud = peaks.map((peak) => peak > 0.3)
    expect(loud).toEqual([true, false, false, true, false, false, true, false])
  })
})
