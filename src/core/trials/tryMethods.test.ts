import { describe, expect, it } from 'vitest'
import { soundSource } from '../audio/soundSource'
import { methods } from '../methods/registry'
import { finish } from '../task'
import { recipe } from '../testing/recipes'
import { clicks } from '../testing/signals'
import { leastHarmTask } from './tryMethods'

const sound = soundSource(clicks({ at: [0.1, 0.3, 0.5], seconds: 0.6 }))

describe('the method of least harm', () => {
  it('is not looked for where a recipe changes nothing', () => {
    const plain = recipe('wsola')
    const { recipe: chosen, ranked } = finish(leastHarmTask(sound, plain, {}))
    expect(chosen).toEqual(plain)
    expect(ranked).toEqual([])
  })

  it.each([
    ['a length', { stretch: 1.3 }],
    [
      'a map by hand as long as the source',
      {
        map: [
          { sourceSeconds: 0, outputSeconds: 0 },
          { sourceSeconds: 0.2, outputSeconds: 0.3 },
          { sourceSeconds: 0.6, outputSeconds: 0.6 },
        ],
      },
    ],
  ])('is the first of all that leave pitch and speed apart, for %s', (_, change) => {
    const asked = recipe('wsola', change)
    const { recipe: chosen, known, ranked } = finish(leastHarmTask(sound, asked, {}))
    expect(ranked.map(({ methodId }) => methodId).sort()).toEqual(
      methods
        .filter(({ tiesPitchToSpeed }) => !tiesPitchToSpeed)
        .map(({ id }) => id)
        .sort(),
    )
    expect(chosen).toEqual({ ...asked, methodId: ranked[0]?.methodId })
    expect(Object.keys(known).sort()).toEqual(['attacks', 'focus', 'pitch'])
  })
})
