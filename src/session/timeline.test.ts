import { parseMidi } from 'midi-file'
import { describe, expect, it } from 'vitest'
import { openTempo, tempoOfBeats } from '../core'
import { arrangementOf, ownBeatsOf, tempoLineOf } from './arrange'
import { faultOf } from './faults'
import { readSession } from './readSession'
import type { Session, Source } from './schema'
import { tempoJson, tempoMidi } from './tempoFile'

const facts = { frames: 480_000, sampleRate: 48_000, channels: 2, container: 'WAV', peak: 1 }
const winch = { id: 'winch', file: 'winch.wav', facts, hand: { bpm: 96, firstBeat: 0.25 } }

function read(more: object) {
  const raw = { sources: [winch], ...more }
  const result = readSession(raw)
  if (result.kind !== 'read') throw new Error('not read')
  return { ...result, raw }
}

const byHand: object = {
  tempoLine: [{ beat: 0, bpm: 100 }],
  parts: [
    { source: 'winch', method: 'splice', startBeat: 0, repeat: true, beats: 16 },
    { source: 'winch', startBeat: 4, lock: 'seconds', stretch: 2, semitones: -3, row: 'Far' },
    { source: 'winch', startBeat: 8, variant: 'B' },
  ],
}

describe('a timeline that was written by hand', () => {
  it('gets rows, ids and defaults, and nothing of it has to be mended', () => {
    const { session, mended } = read(byHand)
    expect(mended).toEqual([])
    expect(session.rows.map(({ id, name }) => [id, name])).toEqual([
      ['winch', 'winch'],
      ['Far', 'Far'],
    ])
    expect(session.parts.map(({ id, row, lock, feel, gainDb }) => [id, row, lock, feel, gainDb])).toEqual([
      ['part 1', 'winch', 'bars', 1, 0],
      ['part 2', 'Far', 'seconds', 1, 0],
      ['part 3', 'winch', 'bars', 1, 0],
    ])
    // once read it is read as it is
    expect(readSession(session)).toEqual({ kind: 'read', session, mended: [] })
  })
  it('comes to an arrangement of recipes, rows and beats', () => {
    const { parts } = arrangementOf(read(byHand).session, () => undefined)
    expect(parts.map(({ row, recipe }) => [row, recipe.methodId, recipe.stretch, recipe.pitchSemitones])).toEqual([
      [0, 'splice', 1, 0],
      [1, 'wsola', 2, -3],
      [0, 'vocoder', 1, 0],
    ])
    expect(parts[0]?.own).toEqual({ bpm: 96, firstBeat: 0.25 })
  })
  it('has the beats of its source in the part that is worked with', () => {
    const source = { ...read(byHand).session.sources[0], range: { start: 48_000, end: 200_000 } } as Source
    const own = ownBeatsOf(source, undefined) as { bpm: number; firstBeat: number }
    // the first beat at 0.25 s lies before the part: the next one in it counts
    expect(own.bpm).toBe(96)
    expect(own.firstBeat).toBeCloseTo(0.25 + 2 * (60 / 96) - 1, 9)
    const free = { ...source, hand: { beats: [0.5, 1.2, 1.8, 2.9] } } as Source
    expect(ownBeatsOf(free, undefined)).toEqual({ seconds: [0.2, 0.8, 1.9].map((at) => expect.closeTo(at, 9)) })
    expect(ownBeatsOf({ ...source, hand: {} }, undefined)).toBeUndefined()
  })
  it('has a section’s own tempo in its bars alone', () => {
    const { session } = read({
      ...byHand,
      beatsPerBar: 3,
      sections: [{ name: 'Ebb', bar: 3, bars: 2, bpm: 60 }],
    })
    const { bpmAt } = openTempo(tempoLineOf(session as Session))
    expect([0, 5.9, 6, 11.9, 12, 40].map(bpmAt)).toEqual([100, 100, 60, 60, 100, 100])
  })
})

describe('what does not hold on a timeline', () => {
  const [good] = (byHand as { parts: object[] }).parts
  it.each([
    [{ parts: [{ ...good, source: 'gone' }] }, 'part 1', 'no source "gone"'],
    [{ parts: [good, { ...good, startBeat: -2 }] }, 'part 2', 'before 0'],
    [
      {
        parts: [
          { ...good, id: 'x' },
          { ...good, id: 'x' },
        ],
      },
      'part 2 (x)',
      'another one with the id "x"',
    ],
    [{ sources: [winch, winch] }, 'source 2 (winch)', 'another one with the id'],
    [{ tempoLine: [{ beat: 0, bpm: 0 }] }, 'tempo line event 1', 'bpm is 0'],
    [
      {
        tempoLine: [
          { beat: 0, bpm: 90 },
          { beat: 0, bpm: 80 },
        ],
      },
      'tempo line event 2',
      'behind the one before',
    ],
    [{ tempoLine: [{ bpm: 90 }] }, 'tempo line event 1', 'no beat'],
    [{ parts: [{ source: 'winch' }] }, 'part 1', 'no startBeat'],
    [{ parts: [{ ...good, method: 'magic' }] }, 'part 1', 'no method "magic"'],
    [{ parts: [{ ...good, variant: 'Z' }] }, 'part 1', 'no variant "Z"'],
    [{ parts: [{ ...good, lock: 'feet' }] }, 'part 1', '"feet"'],
    [{ parts: 'none' }, 'parts', '"none"'],
    [{ beatsPerBar: 0 }, 'beatsPerBar', '0'],
    [{ sources: [{ ...winch, hand: { bpm: -1 } }] }, 'source 1 (winch)', 'hand.bpm is -1'],
  ])('is named with its reason: %j', (change, entry, why) => {
    const { mended, raw, session } = read({ ...byHand, ...change })
    expect(faultOf(raw, mended)).toMatchObject({
      entry: expect.stringContaining(entry),
      why: expect.stringContaining(why),
    })
    // on screen it is mended, and what was mended holds
    expect(readSession(session)).toEqual({ kind: 'read', session, mended: [] })
  })
  it('is nothing where only something else was mended', () => {
    const { mended, raw } = read({ ...byHand, sources: [{ ...winch, target: { stretch: 5000 } }] })
    expect(mended).toHaveLength(1)
    expect(faultOf(raw, mended)).toBeUndefined()
  })
})

describe('a tempo line as a file', () => {
  const tempoLine = tempoOfBeats([0, 0.6, 1.15, 1.8, 2.3])
  const metre = [
    { bar: 0, beatsPerBar: 4 },
    { bar: 2, beatsPerBar: 3 },
  ]
  it('is read back from JSON as it was, as part of a session', () => {
    const { session, mended } = read({ ...JSON.parse(tempoJson({ tempoLine, metre, firstBeat: 0.2 })), parts: [] })
    expect(mended).toEqual([])
    expect(tempoLineOf(session).map(({ bpm }) => bpm)).toEqual(tempoLine.map(({ bpm }) => bpm))
    expect(session.metre).toEqual([{ bar: 3, beatsPerBar: 3 }])
  })
  it('has its sections as marks in MIDI, at their bars', () => {
    const midi = parseMidi(tempoMidi({ tempoLine, metre: [], marks: [{ bar: 2, name: 'Ebb' }] }))
    let tick = 0
    const marks = (midi.tracks[0] ?? []).flatMap((event) => {
      tick += event.deltaTime
      return event.type === 'marker' ? [[event.text, tick]] : []
    })
    expect(marks).toEqual([['Ebb', 2 * 4 * (midi.header.ticksPerBeat as number)]])
  })
  it('has its beats at their seconds in MIDI, ramps as well', () => {
    const ramp = [
      { beat: 0, bpm: 131, curve: 'linear' as const },
      { beat: 16, bpm: 90, curve: 'log' as const },
      { beat: 20, bpm: 120 },
    ]
    for (const line of [tempoLine, ramp]) {
      const midi = parseMidi(tempoMidi({ tempoLine: line, metre }))
      const ticks = midi.header.ticksPerBeat as number
      let [at, seconds, per] = [0, 0, 500_000]
      const beats = new Map<number, number>()
      for (const event of midi.tracks[0] ?? []) {
        for (let n = 0; n < event.deltaTime; n++) {
          seconds += per / 1e6 / ticks
          if (++at % ticks === 0) beats.set(at / ticks, seconds)
        }
        if (event.type === 'setTempo') per = event.microsecondsPerBeat
      }
      const { secondsAt } = openTempo(line)
      expect(beats.size).toBeGreaterThan(2)
      for (const [beat, second] of beats) expect(Math.abs(second - secondsAt(beat))).toBeLessThan(1e-4)
    }
  })
})
