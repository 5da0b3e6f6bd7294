import { describe, expect, it } from 'vitest'
import { finish, type Knowledge, know } from '../core'
import { makeLoop } from '../core/testing/loops'
import { newSource } from './create'
import { attackEdits, beatsOf, editedAttacks, heldAnalysis, isUntuned, keyOf, loopOf, tempoOf } from './known'
import type { Source } from './schema'

const loop = makeLoop({ seed: 4, style: 'backbeat', bpm: 100, bars: 2, overhangMs: 370 })
const rate = loop.audio.sampleRate
const frames = loop.audio.channels[0]?.length as number
const found = finish(know(loop.audio))
const source = (part: Partial<Source> = {}): Source => ({
  ...newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file' }),
  facts: { frames, sampleRate: rate, channels: 1, container: 'WAV', peak: 1 },
  ...part,
})
const unsure: Knowledge = { ...found, tempo: { ...found.tempo, confidence: 0.3 } }

describe('what counts as known', () => {
  it('is what was found where it is sure, asks where it is not, and is what people say over both', () => {
    expect(tempoOf(source(), found)).toEqual({ bpm: 100, by: 'found', doubt: undefined })
    expect(tempoOf(source(), unsure).bpm).toBeUndefined()
    expect(tempoOf(source(), unsure).doubt).toContain('perhaps 100 BPM')
    expect(tempoOf(source({ hand: { bpm: 50 } }), found)).toEqual({ bpm: 50, by: 'hand', doubt: undefined })
    expect(tempoOf(source(), null)).toEqual({ bpm: undefined, by: undefined, doubt: undefined })
  })

  it('shows a tempo in the name that is not the one that is heard', () => {
    const named = finish(know(loop.audio, { file: 'chain_131bpm.wav' }))
    const tempo = tempoOf(source(), named)
    expect(tempo.bpm).toBe(100)
    expect(tempo.doubt).toBe('the file says 131, the sound is 100')
  })

  it('keeps key and percussion as said', () => {
    const key = { root: 5, mode: 'minor' } as const
    expect(keyOf(source({ hand: { key } }), found)).toEqual({ key, by: 'hand', doubt: undefined })
    expect(isUntuned(source(), found)).toBe(true)
    expect(isUntuned(source({ hand: { untuned: false } }), found)).toBe(false)
    expect(isUntuned(source({ hand: { kind: 'chords' } }), found)).toBe(false)
  })
})

describe('beats', () => {
  it('are the found ones, or the grid of what was said, always a beat apart', () => {
    expect(beatsOf(source(), found).frames.length).toBe(found.tempo.beats.length)
    const byHand = beatsOf(source({ hand: { bpm: 120, firstBeat: 0.1, beatsPerBar: 3 } }), found)
    byHand.frames.slice(1).forEach((frame, i) => {
      expect(frame - (byHand.frames[i] as number)).toBeCloseTo(0.5 * rate, 6)
    })
    expect(byHand.frames[0]).toBeCloseTo(0.1 * rate, 6)
    expect(byHand.bars.slice(0, 4)).toEqual([true, false, false, true])
  })

  it('move with the part that is worked with', () => {
    const start = Math.round(0.6 * rate)
    const part = beatsOf(source({ range: { start, end: frames } }), found)
    expect(part.frames[0]).toBeCloseTo(0, 0)
    expect(part.bars.indexOf(true)).toBe(3)
  })
})

describe('a loop', () => {
  it('holds bars and a tail; its trim is whole bars, and then it is clean', () => {
    const facts = loopOf(source(), found)
    expect(facts?.bars).toBe(2)
    expect(facts?.overhangMs).toBeCloseTo(370, 0)
    const { start, end } = facts as { start: number; end: number }
    expect(Math.abs(end - start - 4.8 * rate)).toBeLessThan(0.003 * rate)
    const trimmed = loopOf(source({ range: { start, end } }), found)
    expect(trimmed?.bars).toBe(2)
    expect(Math.abs(trimmed?.overhangMs as number)).toBeLessThan(3)
  })
})

describe('attacks corrected by hand', () => {
  const [first, second] = found.attacks as unknown as [{ frame: number }, { frame: number }]

  it('stay corrected over what is found anew, a little elsewhere', () => {
    const hand = { attacks: { added: [12_345], removed: [second.frame] } }
    const anew = found.attacks.map(({ frame, strength }) => ({ frame: frame + 20, strength }))
    const edited = editedAttacks(source({ hand }), anew)
    expect(edited).toHaveLength(found.attacks.length)
    expect(edited.some(({ frame }) => frame === 12_345)).toBe(true)
    expect(edited.some(({ frame }) => frame === second.frame + 20)).toBe(false)
    const times = edited.map(({ frame }) => frame)
    expect([...times].sort((a, b) => a - b)).toEqual(times)
  })

  it('reach what renders get, once for the same corrections', () => {
    const analysis = { attacks: found.attacks }
    const edited = source({ hand: { attacks: { added: [], removed: [first.frame] } } })
    const held = heldAnalysis(edited, analysis)
    expect(held.attacks).toHaveLength(found.attacks.length - 1)
    expect(heldAnalysis(edited, analysis)).toBe(held)
    expect(heldAnalysis(source(), analysis)).toBe(analysis)
  })
})

describe('attacks of another ear', () => {
  const own = source()
  const places = [1000, 50_000, 100_000, 200_000]
  const heldBy = (edits: ReturnType<typeof attackEdits>, range?: { start: number; end: number }) =>
    editedAttacks(
      { ...own, hand: { attacks: edits }, ...(range && { range }) },
      places.map((frame) => ({ frame, strength: 1 })),
    ).map(({ frame }) => frame)

  it('are what is wanted, whatever was found: more, fewer, none, the same', () => {
    for (const wanted of [[1000, 30_000, 50_000, 100_000, 200_000, 300_000], [50_000], [], places]) {
      expect(heldBy(attackEdits(own, places, wanted))).toEqual(wanted)
    }
    expect(attackEdits(own, places, places)).toEqual({ added: [], removed: [] })
  })
  it('leave alone what lies outside the part that is worked with', () => {
    const range = { start: 40_000, end: 150_000 }
    const part = { ...own, range, hand: { attacks: { added: [10_000], removed: [200_000] } } }
    const edits = attackEdits(part, places, [])
    expect(heldBy(edits, range)).toEqual([])
    expect(heldBy(edits)).toEqual([1000, 10_000])
  })
})
