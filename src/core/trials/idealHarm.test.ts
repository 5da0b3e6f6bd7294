import { expect, it } from 'vitest'
import { frameCount } from '../audio/block'
import { measureTask } from '../measure/measure'
import { finish } from '../task'
import { AS_WRITTEN } from '../testing/ideals'
import { recipe } from '../testing/recipes'
import { drawnItem, type ScoreKind } from '../testing/scores'
import { harmOf } from './advice'
import { meantBy } from './comparisonOf'

/** What the ideal answer itself comes to, at most: a measure that calls it bad says nothing of results either. */
const cases: readonly [
  kind: ScoreKind,
  number: number,
  change: { stretch?: number; semitones?: number; keepFormants?: boolean },
  most: number,
][] = [
  ['beat', 3, { stretch: 4 }, 2.5],
  ['bass', 1, { stretch: 4 }, 5],
  ['chirp', 1, { stretch: 2 }, 8],
  ['arpeggio', 1, { semitones: 12 }, 8.5],
  ['cry', 1, { semitones: 5, keepFormants: true }, 5.5],
  ['voice', 4, { semitones: -12, keepFormants: true }, 11.5],
  ['voice', 1, { semitones: 12, keepFormants: true }, 8.5],
  ['cluster', 5, { semitones: 12, keepFormants: true }, 6],
  ['cry', 2, { stretch: 0.5 }, 9.5],
  ['bass', 2, { semitones: 12 }, 7.2],
]

it.each(cases)('the ideal answer is hardly called harm: %s %d, %o', (kind, number, change, most) => {
  const playing = { ...AS_WRITTEN, ...change }
  const item = drawnItem(kind, number)
  const source = item.play(AS_WRITTEN).audio
  const meant = recipe('wsola', {
    stretch: playing.stretch,
    pitchSemitones: playing.semitones,
    formants: playing.keepFormants ? 'keep' : 'move',
  })
  const size = { frames: frameCount(source), sampleRate: source.sampleRate }
  const measurement = finish(
    measureTask({ source, result: item.play(playing).audio, from: 0, ...meantBy(meant, size) }),
  )
  expect(harmOf(measurement)).toBeLessThan(most)
})
