import { describe, expect, it } from 'vitest'
import { renderBlock } from '../render/renderTask'
import { recipe } from '../testing/recipes'
import { clicks, noise, sine } from '../testing/signals'
import { cents, fitTone, rms } from '../testing/tone'

const middle = (samples: Float32Array) =>
  samples.slice(Math.round(samples.length * 0.25), Math.round(samples.length * 0.75))

describe('pitch and level of a steady tone', () => {
  it.each([
    ['wsola', 1.25, 0, 0.5, -45],
    ['wsola', 0.8, 7, 0.5, -45],
    ['vocoder', 2, 0, 0.05, -70],
    ['vocoder', 0.7, -5, 0.05, -70],
    ['vocoder', 8, 0, 0.05, -70],
    ['varispeed', 1.3, 0, 0.01, -100],
    ['varispeed', 0.5, 0, 0.01, -100],
  ])('%s at stretch %d, %d st', (id, stretch, pitchSemitones, withinCents, residualDb) => {
    const source = sine({ hz: 441.3, seconds: 1.5 })
    const out = middle(renderBlock(source, recipe(id, { stretch, pitchSemitones })).channels[0] as Float32Array)
    const ratio = id === 'varispeed' ? 1 / stretch : 2 ** (pitchSemitones / 12)
    const tone = fitTone(out, 48_000, 441.3 * ratio)
    expect(Math.abs(cents(tone.hz, 441.3 * ratio))).toBeLessThan(withinCents)
    expect(Math.abs(20 * Math.log10(tone.amplitude / 0.5))).toBeLessThan(0.1)
    expect(tone.residualDb).toBeLessThan(residualDb)
  })

  it('varispeed at double speed lets nothing above the new Nyquist fold back', () => {
    for (const hz of [12_100, 13_000, 15_000, 20_000, 23_000]) {
      const out = renderBlock(sine({ hz, seconds: 0.5, amplitude: 1 }), recipe('varispeed', { stretch: 0.5 }))
      expect(20 * Math.log10(rms(middle(out.channels[0] as Float32Array)) * Math.SQRT2)).toBeLessThan(-100)
    }
  })

  it('varispeed is flat to 0.85 of Nyquist', () => {
    const out = renderBlock(sine({ hz: 20_000, seconds: 0.5 }), recipe('varispeed', { stretch: 1.2 }))
    const tone = fitTone(middle(out.channels[0] as Float32Array), 48_000, 20_000 / 1.2)
    expect(Math.abs(20 * Math.log10(tone.amplitude / 0.5))).toBeLessThan(0.05)
  })

  it.each([1.3, 3, 10])('the grain cloud keeps the level of noise at stretch %d', (stretch) => {
    const source = noise({ seconds: 2, seed: 1 })
    const out = renderBlock(source, recipe('grain', { stretch }))
    const change =
      20 * Math.log10(rms(middle(out.channels[0] as Float32Array)) / rms(middle(source.channels[0] as Float32Array)))
    expect(Math.abs(change)).toBeLessThan(0.5)
  })

  it('wsola keeps widely spaced hits at their mapped times', () => {
    const at = [0.2, 0.6, 1, 1.4]
    const out = renderBlock(clicks({ at, seconds: 2 }), recipe('wsola', { stretch: 1.2 })).channels[0] as Float32Array
    for (const time of at) {
      const around = Math.round(time * 1.2 * 48_000)
      const near = rms(out.slice(around - 1200, around + 2400))
      expect(near).toBeGreaterThan(0.02)
    }
  })
})
