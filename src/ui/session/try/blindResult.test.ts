import { describe, expect, it } from 'vitest'
import { newSource, REFERENCE } from '../../../session'
import type { BlindRun } from '../state/store'
import { resultOf } from './blindResult'

const source = newSource({ id: 's', name: 'Winch', file: 'winch.wav', origin: 'demo' })
const [a, b] = source.variants.map(({ id }) => id) as [string, string]
const run = (part: Partial<BlindRun>): BlindRun => ({
  sourceId: 's',
  mode: 'AB',
  lanes: [a, b],
  rounds: 8,
  places: [a, b],
  heard: 0,
  sounded: [],
  answers: [],
  grades: [50, 50],
  ...part,
})

describe('a finished blind comparison', () => {
  it('counts preferences by lane, whatever the order they were heard in', () => {
    const result = resultOf(run({ answers: [a, a, b, a, a, a, a, a] }), source, 'now')
    expect(result).toMatchObject({ mode: 'AB', rounds: 8 })
    expect(result.lanes.map(({ name, score }) => `${name}: ${score}`)).toEqual([
      'A Waveform match: 7',
      'B Locked vocoder: 1',
    ])
    // 1 or fewer of 8 either way: 2 × 9 / 256
    expect(result.chance).toBeCloseTo(18 / 256, 12)
  })

  it('tells how likely that many right answers are by guessing', () => {
    const result = resultOf(
      run({ mode: 'ABX', answers: [true, true, true, true, false, true, true, true] }),
      source,
      'now',
    )
    expect(result.lanes[0]?.score).toBe(7)
    expect(result.chance).toBeCloseTo(9 / 256, 12)
  })

  it('ranks by grade, the reference among them', () => {
    const result = resultOf(run({ mode: 'rank', places: [b, REFERENCE, a], grades: [20, 90, 55] }), source, 'now')
    expect(result.lanes.map(({ name }) => name)).toEqual(['Reference', 'A Waveform match', 'B Locked vocoder'])
    expect(result.chance).toBeUndefined()
  })
})
