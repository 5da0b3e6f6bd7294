import { describe, expect, it } from 'vitest'
import { analyse } from '../analysis/analysis'
import { soundSource } from '../audio/soundSource'
import { renderBlock } from '../render/renderTask'
import { finish } from '../task'
import { spectralDistance } from '../testing/distance'
import { AS_WRITTEN } from '../testing/ideals'
import { drawnProgramme } from '../testing/programmes'
import { recipe } from '../testing/recipes'
import { block } from '../testing/signals'
import { handoverBetween, handoversOf } from './handovers'
import { joinLanesTask } from './joinLanes'

const RATE = 8000

describe('where a handover hides', () => {
  const attack = (seconds: number, strength: number) => ({ frame: seconds * RATE, strength })
  const tone = soundSource(
    block(RATE, 1, 4 * RATE, (i) => {
      const seconds = i / RATE
      const level = seconds > 2.4 && seconds < 2.6 ? 0 : seconds > 1.2 && seconds < 1.4 ? 0.05 : 0.5
      return level * Math.sin((2 * Math.PI * 200 * i) / RATE)
    }),
  )

  it('is right before the strongest attack, whatever is quiet beside it', () => {
    const attacks = [attack(0.7, 0.3), attack(1.5, 0.9), attack(2, 0.05)]
    const found = handoverBetween(tone, attacks, 0.5 * RATE, 3 * RATE)
    expect(found.hides).toBe('attack')
    expect(1.5 - found.frame / RATE).toBeCloseTo(0.002, 6)
    // what is hardly an attack hides nothing
    expect(handoverBetween(tone, attacks, 1.7 * RATE, 2.2 * RATE).hides).toBe('quiet')
  })

  it('is in silence else, or where it is quietest', () => {
    const silent = handoverBetween(tone, [], 2 * RATE, 3 * RATE)
    expect(silent.hides).toBe('silence')
    expect(Math.abs(silent.frame / RATE - 2.5)).toBeLessThan(0.1)
    const quiet = handoverBetween(tone, [], 0.8 * RATE, 2 * RATE)
    expect(quiet.hides).toBe('quiet')
    expect(Math.abs(quiet.frame / RATE - 1.3)).toBeLessThan(0.1)
  })

  it('leaves stretches that are long enough to tell, to both ends', () => {
    const places = handoversOf(tone, [attack(0.1, 1), attack(0.9, 1), attack(3.8, 1)], 0.5 * RATE)
    const all = [0, ...places.map(({ frame }) => frame), 4 * RATE]
    expect(places.length).toBeGreaterThan(1)
    all.slice(1).forEach((frame, n) => {
      expect(frame - (all[n] as number)).toBeGreaterThanOrEqual(0.499 * RATE)
      expect(frame - (all[n] as number)).toBeLessThanOrEqual(1.5 * RATE)
    })
  })
})

describe('lanes that are joined by measure', () => {
  const programme = drawnProgramme(2)
  const source = programme.play(AS_WRITTEN).audio
  const known = analyse(source, ['attacks', 'pitch', 'focus'])
  const lanes = ['splice', 'vocoder', 'wsola'].map((id) => recipe(id, { stretch: 1.25 }))
  const made = finish(joinLanesTask(soundSource(source), lanes, known))

  it('come closer to the ideal answer of a programme than the best of them alone: at most 0.75 of its distance', () => {
    const ideal = programme.play({ ...AS_WRITTEN, stretch: 1.25 }).audio
    const alone = lanes.map((lane) => spectralDistance(renderBlock(source, lane), ideal))
    const joined = spectralDistance(renderBlock(source, made.recipe), ideal)
    expect(joined / Math.min(...alone)).toBeLessThan(0.75)
  })

  it('hand over few times, and do less harm by their own measure', () => {
    expect(made.recipe.joins?.length).toBeGreaterThan(0)
    expect(made.recipe.joins?.length).toBeLessThan(6)
    expect(made.joined).toBeLessThan(Math.min(...made.alone))
  })

  it('are one lane where no other does less harm anywhere', () => {
    const [only] = lanes as [(typeof lanes)[0]]
    const same = finish(joinLanesTask(soundSource(source), [only, only], known))
    expect(same.recipe).toEqual(only)
  })
})
