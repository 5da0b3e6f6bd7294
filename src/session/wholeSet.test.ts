import { describe, expect, it } from 'vitest'
import { layMix, openTempo } from '../core'
import { arrangementOf, tempoLineOf } from './arrange'
import { firstSession } from './create'
import type { Session } from './schema'
import { changeSet, tempoRatioTo } from './wholeSet'

const known = (session: Session): Session => ({
  ...session,
  sources: session.sources.map((source) => ({
    ...source,
    hand: { ...source.hand, bpm: 96, firstBeat: 0 },
    facts: { frames: 480_000, sampleRate: 48_000, channels: 2, container: 'wav', peak: 0.5 },
  })),
})

/** The first session, with a ramp in its line, a section of its own tempo, and a key. */
const stage = (): Session => ({
  ...known(structuredClone(firstSession())),
  key: { root: 9, mode: 'minor' },
  tempoLine: [
    { beat: 0, bpm: 96, curve: 'linear' },
    { beat: 16, bpm: 120, curve: 'step' },
  ],
  sections: [{ id: 'end', name: 'End', bar: 9, bars: 4, bpm: 80 }],
})
const isHits = ({ id }: { readonly id: string }) =>
  ['rope-winch', 'hull-knocks', 'capstan', 'chain-rattle'].includes(id)
const pitchOf = ({ sources }: Session, { source: id, semitones }: Session['parts'][number]) =>
  semitones ?? sources.find((source) => source.id === id)?.target.pitchSemitones

describe('a whole set', () => {
  it('at another tempo: every moment of it comes that much sooner, ramps and sections too, and pitch stays', () => {
    const [before, after] = [stage(), stage()]
    changeSet(after, { tempoRatio: 1.1, semitones: 0 }, isHits)
    const [slow, fast] = [before, after].map((session) => openTempo(tempoLineOf(session)))
    for (let beat = 0; beat < 64; beat += 0.75)
      expect(fast?.secondsAt(beat)).toBeCloseTo((slow?.secondsAt(beat) as number) / 1.1, 9)
    expect(after.bpm).toBeCloseTo(before.bpm * 1.1, 9)
    expect(after.parts).toEqual(before.parts)
    expect(after.picks).toEqual(before.picks)
    expect(after.key).toEqual(before.key)
  })

  it('in another key: what has a note moves, from wherever it was, what has none stays; and back again', () => {
    const before = stage()
    const after = stage()
    changeSet(after, { tempoRatio: 1, semitones: -3 }, isHits)
    const hits = new Set(before.sources.filter(isHits).map(({ id }) => id))
    expect(before.parts.some(({ source }) => hits.has(source))).toBe(true)
    expect(before.parts.some(({ source }) => !hits.has(source))).toBe(true)
    for (const [n, part] of after.parts.entries()) {
      const was = pitchOf(before, before.parts[n] as typeof part) as number
      expect(pitchOf(after, part)).toBe(hits.has(part.source) ? was : was - 3)
    }
    for (const [n, pick] of after.picks.entries())
      expect(pick.semitones).toBe((before.picks[n]?.semitones as number) - (hits.has(pick.source) ? 0 : 3))
    expect(after.key).toEqual({ root: 6, mode: 'minor' })
    expect(after.tempoLine).toEqual(before.tempoLine)
    changeSet(after, { tempoRatio: 1, semitones: 3 }, isHits)
    for (const [n, part] of after.parts.entries())
      expect(pitchOf(after, part)).toBe(pitchOf(before, before.parts[n] as typeof part))
    expect(after.key).toEqual(before.key)
  })

  it('moves the pads of a source that follows the key once: along with it where the key moves, else by themselves', () => {
    for (const [semitones, byThemselves] of [
      [2, 0],
      [0.5, 0.5],
    ] as const) {
      const session = stage()
      for (const source of session.sources) source.follows = { tempo: false, key: true }
      const before = structuredClone(session)
      changeSet(session, { tempoRatio: 1, semitones }, isHits)
      for (const [n, pick] of session.picks.entries())
        expect(pick.semitones).toBe(
          (before.picks[n]?.semitones as number) + (isHits({ id: pick.source }) ? 0 : byThemselves),
        )
      expect(session.key?.root).toBe(semitones === 2 ? 11 : 9)
    }
  })

  it('is as long as its tempo says, by the frames of the mix', () => {
    const session = { ...stage(), tempoLine: [], sections: [] }
    const framesOf = (of: Session) =>
      layMix(
        arrangementOf(of, () => undefined),
        () => ({ frames: 480_000, sampleRate: 48_000, channelCount: 2 }) as never,
        48_000,
      ).frames
    const was = framesOf(session)
    const inBars = { ...session, parts: session.parts.filter(({ lock }) => lock === 'bars') }
    const barred = framesOf(inBars)
    changeSet(inBars, { tempoRatio: tempoRatioTo(inBars, 120), semitones: 0 }, isHits)
    expect(inBars.bpm).toBe(120)
    expect(was).toBeGreaterThan(0)
    expect(framesOf(inBars)).toBeCloseTo((barred * session.bpm) / 120, -1)
  })

  it.each([
    [{ tempoRatio: 20, semitones: 0 }, 'set/tempo'],
    [{ tempoRatio: 1, semitones: 40 }, 'set/pitch'],
  ])('%j goes too far: nothing is changed, and it says %s', (by, code) => {
    const session = stage()
    const before = structuredClone(session)
    expect(() => changeSet(session, by, isHits)).toThrow(expect.objectContaining({ code }))
    expect(session).toEqual(before)
  })
})
