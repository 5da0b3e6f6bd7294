import { describe, expect, it } from 'vitest'
import type { Markers } from '../core'
import { type HandMarkers, markersOf, withCue, withCueChanged, withoutCue } from './marks'

const inFile: Markers = { cues: [{ frame: 10, label: 'of the file' }], loops: [], tempo: { bpm: 96 }, rootNote: 60 }
const byHand: HandMarkers = {
  cues: [
    { frame: 100, label: 'gust' },
    { frame: 900, label: 'lull' },
  ],
  loops: [{ startFrame: 200, endFrame: 800, kind: 'forward', plays: 0 }],
  rootNote: 45,
}

describe('what a file is to say of places in it', () => {
  it('is what it says itself, until something is set by hand; the tempo stays its own', () => {
    expect(markersOf({ hand: {} }, inFile)).toBe(inFile)
    expect(markersOf({ hand: { markers: byHand } }, inFile)).toEqual({ ...byHand, tempo: { bpm: 96 } })
    expect(markersOf({ hand: { markers: { cues: [], loops: [] } } }, inFile)).toEqual({
      cues: [],
      loops: [],
      tempo: { bpm: 96 },
    })
  })

  it('counts in the part that is worked with, and leaves out what lies beyond it', () => {
    const part = markersOf({ hand: { markers: byHand }, range: { start: 150, end: 1000 } }, inFile)
    expect(part.cues).toEqual([{ frame: 750, label: 'lull' }])
    expect(part.loops).toEqual([{ startFrame: 50, endFrame: 650, kind: 'forward', plays: 0 }])
  })

  it('stays in order, one cue a frame, whatever is set, moved and taken away', () => {
    let now: HandMarkers = { cues: [], loops: [] }
    for (const frame of [500, 20, 300, 20, 700]) now = withCue(now, frame, `at ${frame}`)
    expect(now.cues.map(({ frame }) => frame)).toEqual([20, 300, 500, 700])
    now = withCueChanged(now, 20, { frame: 600 })
    expect(now.cues.map(({ label }) => label)).toEqual(['at 300', 'at 500', 'at 20', 'at 700'])
    now = withCueChanged(now, 600, { frame: 700 })
    expect(now.cues).toEqual([
      { frame: 300, label: 'at 300' },
      { frame: 500, label: 'at 500' },
      { frame: 700, label: 'at 20' },
    ])
    now = withCueChanged(now, 300, { label: 'ebb' })
    expect(now.cues[0]).toEqual({ frame: 300, label: 'ebb' })
    expect(withoutCue(now, 300).cues).toHaveLength(2)
    expect(withoutCue(now, 301).cues).toEqual(now.cues)
  })
})
