import { describe, expect, it } from 'vitest'
import { frameCount, peakOf } from '../audio/block'
import { spectralDistance } from './distance'
import { sine } from './signals'
import { renderTextbook, textbooks } from './textbook'
import { cents, fitTone } from './tone'

const tone = sine({ hz: 441, seconds: 1, channels: 2 })
const middle = (samples: Float32Array) =>
  samples.slice(Math.round(0.25 * samples.length), Math.round(0.75 * samples.length))

describe.each(textbooks)('the plain %s', (kind) => {
  it.each([
    [0.7, 0],
    [2, 0],
    [1, 7],
    [1.5, -12],
  ])('has the asked length and a sane level at %d ×, %d st', (stretch, semitones) => {
    const out = renderTextbook(kind, tone, stretch, semitones)
    expect(frameCount(out)).toBe(Math.round(48_000 * stretch))
    expect(peakOf(out.channels)).toBeGreaterThan(0.1)
    expect(peakOf(out.channels)).toBeLessThan(1.2)
  })

  it('gives back what it was given when nothing changes', () => {
    const inner = (audio: typeof tone) => ({ ...audio, channels: audio.channels.map(middle) })
    expect(spectralDistance(inner(renderTextbook(kind, tone, 1, 0)), inner(tone))).toBeLessThan(0.2)
  })

  it('stretches without changing the pitch, and changes the pitch where asked to', () => {
    // plain overlap-add has no way to keep a tone whole: that is what it is there for
    if (kind === 'overlap-add') return
    const stretched = fitTone(middle(renderTextbook(kind, tone, 1.5, 0).channels[0] as Float32Array), 48_000, 441)
    expect(Math.abs(cents(stretched.hz, 441))).toBeLessThan(5)
    const raised = fitTone(middle(renderTextbook(kind, tone, 1, 12).channels[0] as Float32Array), 48_000, 882)
    expect(Math.abs(cents(raised.hz, 882))).toBeLessThan(5)
  })
})
