import { describe, expect, it } from 'vitest'
import { ALL_NEEDS, analyse } from '../analysis/analysis'
import { soundSource } from '../audio/soundSource'
import { finish } from '../task'
import { AS_WRITTEN } from '../testing/ideals'
import { recipe } from '../testing/recipes'
import { drawnItem } from '../testing/scores'
import { type Look, type Looking, lookTask, partOfLooking } from './looks'
import { trialTask } from './trial'

// a line with a pitch, so that every measure is asked
const source = soundSource(drawnItem('voice', 3).play({ ...AS_WRITTEN, stretch: 0.3 }).audio)
const known = analyse(source, ALL_NEEDS, {})
const frames = Math.round(1.3 * source.frames)
const lookBy = (methodId: string, brief: boolean): Look => ({
  recipe: recipe(methodId, { stretch: 1.3 }),
  span: { from: 0, to: frames },
  brief,
})

describe('looks that are asked for', () => {
  const asked = [lookBy('splice', false), lookBy('wsola', true)]
  /** asks twice, and gives back all that it was told */
  function* twice(): Looking<unknown[]> {
    const first = yield { looks: asked, from: 0, to: 0.5 }
    const second = yield { looks: asked.slice(1), from: 0.5, to: 1 }
    return [...first, ...second]
  }

  it('are answered by their trials, in order, as if each were taken alone', () => {
    const told = finish(lookTask(twice(), source, known))
    const alone = [...asked, asked[1] as Look].map(({ recipe, span, brief }) =>
      finish(trialTask(source, recipe, span, known, undefined, undefined, { brief })),
    )
    expect(told).toEqual(alone)
  })

  it('tell how far all of it is: never back, and to the end of the part that they are', () => {
    const shares: number[] = []
    const task = lookTask(partOfLooking(twice(), 0.2, 0.6), source, known)
    for (;;) {
      const step = task.next()
      if (step.done) break
      shares.push(step.value.doneFrames / step.value.totalFrames)
    }
    expect(shares.length).toBeGreaterThan(4)
    expect(Math.min(...shares)).toBeGreaterThanOrEqual(0.2)
    expect(Math.max(...shares)).toBeLessThanOrEqual(0.6 + 1e-9)
    shares.slice(1).forEach((share, n) => {
      expect(share).toBeGreaterThanOrEqual((shares[n] as number) - 1e-9)
    })
  })
})
