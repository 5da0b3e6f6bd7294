import { describe, expect, it } from 'vitest'
import { soundSource } from '../audio/soundSource'
import { measureTask } from '../measure/measure'
import { renderBlock } from '../render/renderTask'
import { finish } from '../task'
import { makeLoop } from '../testing/loops'
import { recipe } from '../testing/recipes'
import { comparisonOf } from './comparisonOf'
import { measureInParts } from './measureInParts'

describe('measureInParts', () => {
  const { audio } = makeLoop({ bpm: 100, bars: 6, style: 'backbeat', seed: 9 })
  const order = recipe('grain', { stretch: 1.5 })
  const result = renderBlock(audio, order)
  const whole = finish(measureTask(comparisonOf(audio, result, order)))
  const parts = (seconds: number) => finish(measureInParts(soundSource(audio), soundSource(result), order, seconds))

  it('is the same as measuring all at once where one part is all of it', () => {
    expect(parts(1000)).toEqual(whole)
  })

  it('comes to about the same figures in several parts, and counts every attack once', () => {
    const several = parts(5)
    const of = (measurement: typeof whole, id: string) => measurement.artefacts.find((artefact) => artefact.id === id)
    const attacks = (measurement: typeof whole) => of(measurement, 'lost-attacks')?.parts.attackCount as number
    expect(Math.abs(attacks(several) - attacks(whole))).toBeLessThanOrEqual(0.05 * attacks(whole) + 1)
    for (const id of ['smear', 'flutter', 'noise-colour', 'image'] as const) {
      const [a, b] = [of(several, id), of(whole, id)]
      expect(a?.measured, id).toBe(b?.measured)
      expect(Math.abs((a?.value ?? 0) - (b?.value ?? 0)), id).toBeLessThan(0.35 * (b?.value ?? 0) + 0.5)
    }
    const places = several.artefacts.flatMap((artefact) => artefact.places)
    expect(Math.max(...places.map(({ sourceFrame }) => sourceFrame))).toBeGreaterThan(0.7 * soundSource(audio).frames)
  })
})
