import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { sine } from '../testing/signals'
import { cents, fitTone, rms } from '../testing/tone'

const RATE = 48_000
const rendered = (source: AudioBlock, change: Parameters<typeof recipe>[1]) =>
  renderBlock(source, recipe('varispeed', change)).channels[0] as Float32Array
const middle = (samples: Float32Array) =>
  samples.subarray(Math.floor(samples.length / 4), Math.floor((3 * samples.length) / 4))

describe('varispeed', () => {
  it.each([0.5, 0.8, 1.25, 2, 4])('at %d × moves a tone by exactly the speed, and keeps its level', (stretch) => {
    const out = rendered(sine({ hz: 1000, seconds: 2 }), { stretch })
    expect(out).toHaveLength(Math.round(2 * RATE * stretch))
    const { hz, amplitude, residualDb } = fitTone(middle(out).slice(0, 24_000), RATE, 1000 / stretch)
    expect(Math.abs(cents(hz, 1000 / stretch))).toBeLessThan(0.05)
    expect(amplitude).toBeCloseTo(0.5, 3)
    expect(residualDb).toBeLessThan(-80)
  })
  it('turns semitones into speed as well: an octave up is half as long', () => {
    const out = rendered(sine({ hz: 500, seconds: 1 }), { pitchSemitones: 12 })
    expect(out).toHaveLength(RATE / 2)
    expect(fitTone(middle(out).slice(0, 8000), RATE, 1000).hz).toBeCloseTo(1000, 1)
  })
  it('lets nothing fold back when what is too high is read faster', () => {
    // at double speed 15 kHz would be 30: it has no place there, and must not come back at 18
    const out = rendered(sine({ hz: 15_000, seconds: 1 }), { stretch: 0.5 })
    expect(20 * Math.log10(rms(middle(out)) / (0.5 * Math.SQRT1_2))).toBeLessThan(-80)
  })
  it('leaves no image above when read slower', () => {
    const out = middle(rendered(sine({ hz: 18_000, seconds: 1 }), { stretch: 2 }))
    // the tone is at 9 kHz; an image would lie at 15, and be what is left beside it
    expect(fitTone(out.slice(0, 16_000), RATE, 9000).residualDb).toBeLessThan(-85)
  })
  it('goes there and back again to what it was', () => {
    const source = sine({ hz: 700, seconds: 1 })
    const slow = renderBlock(source, recipe('varispeed', { stretch: 1.6 }))
    const back = rendered(slow, { stretch: 1 / 1.6 })
    const own = source.channels[0] as Float32Array
    let worst = 0
    for (let i = 4000; i < 44_000; i++) worst = Math.max(worst, Math.abs((back[i] as number) - (own[i] as number)))
    expect(worst).toBeLessThan(1e-3)
  })
  it('slides along a line of pitch', () => {
    const line = [
      { outputSeconds: 0, semitones: 0 },
      { outputSeconds: 1, semitones: -12 },
      { outputSeconds: 1.5, semitones: -12 },
    ]
    const out = rendered(sine({ hz: 800, seconds: 3 }), { pitchLine: line })
    const at = (seconds: number, hz: number) =>
      fitTone(out.subarray(seconds * RATE, seconds * RATE + 2000), RATE, hz).hz
    expect(at(0, 790)).toBeLessThan(805)
    expect(at(1.1, 400)).toBeCloseTo(400, 0)
    expect(out.length).toBeGreaterThan(3 * RATE)
  })
})
