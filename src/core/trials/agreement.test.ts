import { describe, expect, it } from 'vitest'
import { frameCount } from '../audio/block'
import { demoMakers } from '../demo/sounds'
import { artefactKind } from '../measure/artefacts'
import { readSource } from '../measure/sourceReading'
import { finish } from '../task'
import { recipe } from '../testing/recipes'
import type { Tried } from './advice'
import { contradictionsOf, contradictionsOfAdvice } from './agreement'
import { type Trial, trialTask } from './trial'

const { audio } = (demoMakers.gull as (typeof demoMakers)[string])()
const reading = finish(readSource(audio))
const tried: Tried[] = ['wsola', 'layered', 'grain'].map((methodId) => {
  const span = { from: 0, to: Math.round(1.25 * frameCount(audio)) }
  return { methodId, trial: finish(trialTask(audio, recipe(methodId, { stretch: 1.25 }), span, {}, reading)) }
})
const trial = tried[1]?.trial as Trial

describe('what is said of a result', () => {
  it('never contradicts itself', () => {
    for (const one of tried) expect(contradictionsOf(one.trial, audio.sampleRate)).toEqual([])
    expect(contradictionsOfAdvice(tried)).toEqual([])
  })

  it('is found out when it does: places that the whole does not know of, and places told that there are not', () => {
    const changed = (change: (id: string) => object): Trial => ({
      ...trial,
      measurement: {
        ...trial.measurement,
        artefacts: trial.measurement.artefacts.map((artefact) => ({ ...artefact, ...change(artefact.id) })),
      },
    })
    const place = { sourceFrame: 100, spanFrames: 10, outputFrame: 100, value: 30 }
    // the whole says slight, as if places had not been looked at, and one of them is severe
    const hidden = changed((id) =>
      id === 'balance' ? { value: 1.2, places: [place], local: { count: 1, worst: { ...place, value: 0 } } } : {},
    )
    expect(contradictionsOf(hidden, audio.sampleRate)).not.toEqual([])
    const worst = { ...place, value: 4 * artefactKind('level').severeFrom }
    const madeUp = changed((id) => (id === 'level' ? { value: 0, places: [], local: { count: 3, worst } } : {}))
    expect(contradictionsOf(madeUp, audio.sampleRate).join()).toContain('fewer marks than places told')
  })
})
