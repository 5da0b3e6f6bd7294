import { describe, expect, it } from 'vitest'
import {
  type AudioBlock,
  finish,
  type Instrument,
  PLAIN_INSTRUMENT,
  type PlayedHold,
  type PlayedNote,
  playedVoice,
  type Recipe,
  readyInstrument,
  silence,
} from '../core'
import { demoMakers } from '../core/demo/sounds'
import { noise } from '../core/testing/signals'
import { createHandStrand } from './handStrand'
import { createNotes, type NotedEvent, type NoteEvent, type Round } from './notes'
import { createOverdub } from './overdub'
import { createRingMemory, fillOf, MARK_FRAMES, openRing, playBlock, Slot } from './ring'

const RATE = 48_000
const AHEAD_BLOCKS = 36
const recipe = (methodId: string): Recipe => ({
  version: 1,
  stretch: 1.5,
  pitchSemitones: 0,
  formants: 'move',
  methodId,
  settings: {},
  seed: 1,
})

const rush = noise({ seconds: 2, seed: 3 })
const bell = (demoMakers['harbour-bell'] as () => { audio: AudioBlock })().audio

const instrument = (methodId: string, over: Partial<Instrument> = {}, sound = rush) =>
  finish(readyInstrument(sound, { ...PLAIN_INSTRUMENT, id: methodId, recipe: recipe(methodId), root: 55, ...over }))

/**
 * What is heard while events are played at given moments, and what came of each.
 * @param beatFrames  what plays has so many frames in a beat, and is silent.
 */
function heardFrom(
  instruments: ReadonlyMap<string, ReturnType<typeof instrument>>,
  events: readonly (readonly [number, NoteEvent[]])[],
  blocks: number,
  { beatFrames, round }: { readonly beatFrames?: number; readonly round?: Round } = {},
) {
  const markAt = (frame: number) => (beatFrames ? frame / beatFrames : -1)
  const ring = openRing(createRingMemory())
  ring.control[Slot.running] = 1
  const overdub = createOverdub(ring, RATE)
  const noted: NotedEvent[] = []
  const notes = createNotes(
    overdub,
    RATE,
    (id) => instruments.get(id),
    (events) => noted.push(...events),
  )
  notes.setRound(round)
  const silent = new Float32Array(MARK_FRAMES)
  const out = [new Float32Array(MARK_FRAMES), new Float32Array(MARK_FRAMES)] as const
  const heard = silence(2, blocks * MARK_FRAMES)
  for (let block = 0; block < blocks; block++) {
    while (fillOf(ring) < AHEAD_BLOCKS * MARK_FRAMES) {
      const at = overdub.strands.written
      overdub.write(silent, silent, markAt(at), markAt(at + MARK_FRAMES))
    }
    for (const [at, own] of events) if (at === block) noted.push(...notes.play(own))
    playBlock(ring, ...out)
    heard.forEach((channel, c) => {
      channel.set(out[c] as Float32Array, block * MARK_FRAMES)
    })
  }
  return { heard, noted, notes }
}

const on = (note: number, key: number, id: string, velocity = 1): NoteEvent => ({
  kind: 'on',
  note,
  instrument: id,
  key,
  velocity,
})
const off = (note: number): NoteEvent => ({ kind: 'off', note })

describe('notes that are played', () => {
  const methods = ['wsola', 'grain', 'vocoder', 'layered', 'drift', 'cycle', 'splice', 'varispeed']

  it('are heard within 40 ms of the key, by every method that is ready', () => {
    for (const id of methods) {
      const { heard } = heardFrom(new Map([[id, instrument(id)]]), [[50, [on(1, 60, id)]]], 200)
      const first = (heard[0] as Float32Array).findIndex((value) => value !== 0)
      expect((first - 50 * MARK_FRAMES) / RATE, id).toBeLessThan(0.04)
      expect(first, id).toBeGreaterThan(0)
    }
  })

  it('are, sample for sample, what the take of them renders', () => {
    const instruments = new Map(methods.map((id) => [id, instrument(id, { voices: 2, releaseMs: 80 }, bell)]))
    const events: [number, NoteEvent[]][] = [
      [10, [on(1, 55, 'vocoder'), on(2, 59, 'layered', 0.6), on(3, 62, 'wsola')]],
      [90, [off(2), on(4, 67, 'grain', 0.5)]],
      [91, [on(5, 50, 'vocoder'), on(6, 48, 'vocoder', 0.8)]],
      [160, [off(1), off(3), off(5), on(7, 72, 'drift')]],
      [220, [off(4), off(6), on(8, 55, 'splice', 0.9), on(9, 43, 'cycle')]],
      [300, [off(7), off(8), off(9)]],
    ]
    const { heard, noted, notes } = heardFrom(instruments, events, 500)
    const played: PlayedNote[] = events
      .flatMap(([, own]) => own)
      .flatMap((event) => {
        if (event.kind === 'off') return []
        const at = (kind: 'on' | 'off') => noted.find((one) => one.note === event.note && one.kind === kind)?.frame
        const { instrument: id, key, velocity } = event
        return [{ instrument: id, key, velocity, on: at('on') as number, off: at('off') as number }]
      })
    const { voice } = playedVoice(played, instruments, RATE)
    const rendered = silence(2, 500 * MARK_FRAMES)
    voice.read(0, rendered)
    expect(heard[0]).toEqual(rendered[0])
    expect(heard[1]).toEqual(rendered[1])
    expect(notes.sounding).toBe(0)
  })

  it('of one chord begin at one frame, and a key that nobody knows is left out', () => {
    const { noted } = heardFrom(
      new Map([['vocoder', instrument('vocoder')]]),
      [[20, [on(1, 55, 'vocoder'), on(2, 59, 'vocoder'), on(3, 62, 'nobody'), on(4, 62, 'vocoder')]]],
      40,
    )
    expect(noted.map(({ note }) => note)).toEqual([1, 2, 4])
    expect(new Set(noted.map(({ frame }) => frame)).size).toBe(1)
  })

  it('come down to silence without a step, and of a group one sounds', () => {
    const instruments = new Map([
      ['wsola', instrument('wsola', { group: 'a', releaseMs: 0 })],
      ['varispeed', instrument('varispeed', { group: 'a', releaseMs: 0 })],
    ])
    const { heard } = heardFrom(
      instruments,
      [
        [10, [on(1, 55, 'wsola')]],
        [60, [on(2, 55, 'varispeed')]],
        [120, [off(2)]],
      ],
      200,
    )
    const left = heard[0] as Float32Array
    const end = left.findLastIndex((value) => value !== 0)
    expect(Math.abs(left[end] as number)).toBeLessThan(1e-4)
    expect(end).toBeLessThan(150 * MARK_FRAMES)
  })

  it('begin with the next beat of what plays where that is wanted, and last as long as they were held', () => {
    const beats = Float64Array.from({ length: 40 }, (_, n) => n)
    const beatFrames = 12_345.6
    const held = instrument('wsola', { releaseMs: 0 })
    // the second is let go before its beat comes; the first one's beat is written when it is struck
    for (const [at, until] of [
      [95, 140],
      [20, 30],
    ] as const) {
      const { heard, noted } = heardFrom(
        new Map([['wsola', held]]),
        [
          [at, [{ ...on(1, 55, 'wsola'), at: beats } as NoteEvent]],
          [until, [off(1)]],
        ],
        500,
        { beatFrames },
      )
      const begins = noted.find(({ kind }) => kind === 'on')?.frame as number
      const ends = noted.find(({ kind }) => kind === 'off')?.frame as number
      expect(begins).toBeGreaterThan(at * MARK_FRAMES)
      expect(Math.abs(begins - Math.round(begins / beatFrames) * beatFrames)).toBeLessThanOrEqual(0.5)
      if (until === 30) expect(Math.abs(ends - begins - 10 * MARK_FRAMES)).toBeLessThan(20 * MARK_FRAMES)
      const left = heard[0] as Float32Array
      expect(left.findIndex((value) => value !== 0)).toBe(begins)
      expect(left.findLastIndex((value) => value !== 0)).toBeGreaterThan(ends - 2)
      expect(left.findLastIndex((value) => value !== 0)).toBeLessThan(ends + 600)
    }
  })

  it('come round and round, each time at the very frame and to the same samples', () => {
    const frames = 10_000.4
    const own = instrument('splice', { releaseMs: 20 })
    const note: PlayedNote = { instrument: 'splice', key: 55, velocity: 1, on: 777, off: 3000 }
    const { heard } = heardFrom(new Map([['splice', own]]), [], 400, {
      round: { begins: 5000, frames, notes: [note] },
    })
    const left = heard[0] as Float32Array
    const starts = [0, 1, 2, 3].map((n) => Math.round(5777 + n * frames))
    expect(left.findIndex((value) => value !== 0)).toBe(starts[0])
    const first = left.slice(starts[0], (starts[0] as number) + 4000)
    for (const start of starts) expect(left.slice(start, start + 4000)).toEqual(first)
    expect(left.slice((starts[0] as number) + 4000, starts[1]).every((value) => value === 0)).toBe(true)
  })

  it('and what the hand led beside them are, sample for sample, what the take of both renders', () => {
    const instruments = new Map([['splice', instrument('splice', { releaseMs: 80 }, bell)]])
    for (const methodId of ['drift', 'grain']) {
      const ring = openRing(createRingMemory())
      ring.control[Slot.running] = 1
      const overdub = createOverdub(ring, RATE)
      const notes = createNotes(overdub, RATE, (id) => instruments.get(id))
      const hand = createHandStrand(overdub, RATE)
      const silent = new Float32Array(MARK_FRAMES)
      const out = [new Float32Array(MARK_FRAMES), new Float32Array(MARK_FRAMES)] as const
      const heard = silence(2, 400 * MARK_FRAMES)
      const order = {
        methodId,
        settings: {},
        semitones: 2,
        jitterMs: 6,
        spreadMs: methodId === 'drift' ? 90 : 0,
        seed: 4,
      }
      const moves: PlayedHold['moves'][number][] = []
      const at = { on: 0, off: 0, struck: 0 }
      for (let block = 0; block < 400; block++) {
        while (fillOf(ring) < AHEAD_BLOCKS * MARK_FRAMES) overdub.write(silent, silent, -1, -1)
        if (block === 10) at.on = hand.hold(bell, order, 1, 30_000, 0)
        if (block === 40) at.struck = notes.play([on(1, 50, 'splice')])[0]?.frame as number
        for (const [when, place, speed] of [
          [60, 52_000, 0],
          [61, 52_300, 0],
          [62, 51_000.5, -0.5],
          [150, 90_000, 1.5],
        ] as const)
          if (block === when) moves.push({ at: hand.move(place, speed) as number, place, speed })
        if (block === 250) at.off = hand.letGo() as number
        playBlock(ring, ...out)
        heard.forEach((channel, c) => {
          channel.set(out[c] as Float32Array, block * MARK_FRAMES)
        })
      }
      const hold = { audio: bell, order, gain: 1, on: at.on, place: 30_000, speed: 0, moves, off: at.off }
      const struck: PlayedNote = { instrument: 'splice', key: 50, velocity: 1, on: at.struck }
      const { voice } = playedVoice([struck], instruments, RATE, { holds: [hold] })
      const rendered = silence(2, 400 * MARK_FRAMES)
      voice.read(0, rendered)
      expect(heard[0], methodId).toEqual(rendered[0])
      expect(heard[1], methodId).toEqual(rendered[1])
      expect((heard[0] as Float32Array).some((value) => value !== 0)).toBe(true)
    }
  })
})
