import { describe, expect, it } from 'vitest'
import { newSource } from './create'
import { isOneLength, isTimedAs, kinOf, leadOf, timeAs } from './kin'
import type { Source } from './schema'

const RATE = 48_000
const mic = (id: string, seconds = 2, kin?: string[]): Source => ({
  ...newSource({ id, name: id, file: `${id}.wav`, origin: 'file' }),
  facts: { frames: seconds * RATE, sampleRate: RATE, channels: 1, container: 'WAV', peak: 0.5 },
  ...(kin && { kin }),
})

describe('kin', () => {
  const ids = ['near', 'far', 'room']
  const sources = ids.map((id) => mic(id, 2, ids))
  const [near, far] = sources as [Source, Source]
  it('are those that each of them names, in one order, led by the first', () => {
    expect(kinOf(sources, far)).toEqual(sources)
    expect(leadOf(sources, far)).toBe(near)
    const alone = mic('alone')
    expect(kinOf([...sources, alone], alone)).toEqual([alone])
    expect(leadOf([...sources, alone], alone)).toBe(alone)
  })
  it('are no kin of what does not name them, of other lengths, or of what is not there', () => {
    const stranger = mic('far', 2)
    expect(kinOf([near, stranger, mic('room', 2, ['room', 'far'])], near)).toEqual([near])
    const longer = ids.map((id, n) => mic(id, 2 + n, ids))
    expect(kinOf(longer, longer[1] as Source)).toEqual([longer[1]])
    expect(kinOf([near], near)).toEqual([near])
    expect(isOneLength(longer)).toBe(false)
    expect(isOneLength([near, far])).toBe(true)
    expect(isOneLength([near, newSource({ id: 'x', name: 'x', file: 'x.wav', origin: 'file' })])).toBe(false)
  })
  it('are meant alike in time, and in nothing else', () => {
    const key = { root: 3 }
    const moved: Source = {
      ...near,
      target: { ...near.target, stretch: 1.25 },
      timing: { pins: [{ source: 1, own: 1.1 }], placed: [] },
      range: { start: 10, end: 9000 },
      hand: { bpm: 96, kind: 'hits', attacks: { added: [5], removed: [] } },
    }
    const other: Source = { ...far, hand: { key, bpm: 80, beats: [0, 1] } }
    expect(isTimedAs(moved, other)).toBe(false)
    timeAs(other, moved)
    expect(isTimedAs(moved, other)).toBe(true)
    expect(other.hand).toEqual({ key, bpm: 96, attacks: { added: [5], removed: [] } })
    timeAs(other, near)
    expect(other).toEqual({ ...far, hand: { key } })
  })
})
