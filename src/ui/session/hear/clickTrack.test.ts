import { describe, expect, it } from 'vitest'
import { clickTrack } from './clickTrack'

describe('clickTrack', () => {
  const beats = [0, 100, 200, 300]
  const bars = [true, false, false, true]

  it('clicks on beats, louder on bars, with halves between them where eighths are asked for', () => {
    expect([...clickTrack(beats, bars, false).frames]).toEqual(beats)
    expect([...clickTrack(beats, bars, false).kinds]).toEqual([1, 0, 0, 1])
    const eighths = clickTrack(beats, bars, true)
    // the last beat's half follows the one before
    expect([...eighths.frames]).toEqual([0, 50, 100, 150, 200, 250, 300, 350])
    expect([...eighths.kinds]).toEqual([1, 2, 0, 2, 0, 2, 1, 2])
  })
})
