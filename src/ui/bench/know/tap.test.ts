import { describe, expect, it } from 'vitest'
import { createRandom } from '../../../core/dsp/random'
import { addTap, TAP_PAUSE_MS, tappedTempo } from './tap'

describe('tapping a tempo', () => {
  it('needs three taps, and reads even ones exactly', () => {
    expect(tappedTempo([0, 500])).toBeUndefined()
    expect(tappedTempo([0, 500, 1000, 1500])).toEqual({ bpm: 120, taps: 4, spreadPercent: 0 })
  })

  it('evens out a shaky hand, and says how shaky it was', () => {
    const random = createRandom(3)
    const taps = Array.from({ length: 16 }, (_, i) => i * 625 + 30 * (random() - 0.5))
    const tapped = tappedTempo(taps)
    expect(tapped?.bpm).toBeCloseTo(96, 0)
    expect(tapped?.spreadPercent).toBeGreaterThan(0.5)
    expect(tapped?.spreadPercent).toBeLessThan(5)
  })

  it('begins afresh after a pause, and forgets old taps', () => {
    let taps: readonly number[] = [0, 500]
    taps = addTap(taps, 500 + TAP_PAUSE_MS + 1)
    expect(taps).toHaveLength(1)
    for (let n = 0; n < 60; n++) taps = addTap(taps, 5000 + n * 400)
    expect(taps.length).toBeLessThanOrEqual(24)
    expect(tappedTempo(taps)?.bpm).toBeCloseTo(150, 6)
  })
})
