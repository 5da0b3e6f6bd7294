import { describe, expect, it } from 'vitest'
import {
  type AudioBlock,
  finish,
  type Instrument,
  PLAIN_INSTRUMENT,
  type PlayedNote,
  playedVoice,
  type Recipe,
  readyInstrument,
  silence,
} from '../core'
import { demoMakers } from '../core/demo/sounds'
import { noise } from '../core/testing/signals'
import { createNotes, type NotedEvent, type NoteEvent } from './notes'
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

/** What is heard while events are played at given moments, and what came of each. */
function heardFrom(
  instruments: ReadonlyMap<string, ReturnType<typeof instrument>>,
  events: readonly (readonly [number, NoteEvent[]])[],
  blocks: number,
) {
  const ring = openRing(createRingMemory())
  ring.control[Slot.running] = 1
  const overdub = createOverdub(ring, RATE)
  const notes = createNotes(overdub, RATE)
  const silent = new Float32Array(MARK_FRAMES)
  const out = [new Float32Array(MARK_FRAMES), new Float32Array(MARK_FRAMES)] as const
  const heard = silence(2, blocks * MARK_FRAMES)
  const noted: NotedEvent[] = []
  for (let block = 0; block < blocks; block++) {
    while (fillOf(ring) < AHEAD_BLOCKS * MARK_FRAMES) overdub.write(silent, silent, -1, -1)
    for (const [at, own] of events) if (at === block) noted.push(...notes.play(own, (id) => instruments.get(id)))
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
})
