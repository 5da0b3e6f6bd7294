import { describe, expect, it } from 'vitest'
import { finish, know, planOf, timingMap } from '../core'
import { timedLoop } from '../core/testing/timedLoops'
import { newSource, newVariant } from './create'
import { recipeHeardAt } from './listening'
import { recipeOf, timedFacts } from './recipe'
import type { Source } from './schema'
import { gridBeatsOf, PLAIN_RULE, placedOf, timedDots } from './timing'

const BPM = 104
const RATE = 48_000
const late = (step: number) => (step % 2 ? 0.02 : 0)
const { audio, strokes } = timedLoop('dense', late, BPM)
const frames = audio.channels[0]?.length as number
const found = finish(know(audio))
const source = (part: Partial<Source> = {}): Source => ({
  ...newSource({ id: 'x', name: 'X', file: 'x.wav', origin: 'file' }),
  facts: { frames, sampleRate: RATE, channels: 2, container: 'WAV', peak: 1 },
  hand: { bpm: BPM, firstBeat: 0 },
  ...part,
})
const rule = (part = {}) => ({ ...PLAIN_RULE, ...part })
const placed = (of: Source) => placedOf(of, found, [])
const settled = (of: Source): Source => ({ ...of, timing: { pins: [], ...of.timing, placed: placed(of) } })

describe('the timing of a source', () => {
  it('is nothing as long as nothing is moved, whatever the rule says besides', () => {
    expect(placed(source())).toEqual([])
    expect(placed(source({ timing: { pins: [], placed: [], rule: rule({ grid: '1/8', strength: 0 }) } }))).toEqual([])
    expect(recipeOf(source(), newVariant('v', 'A', 'splice'))).not.toHaveProperty('pins')
  })
  it('shows each attack before and after, late where it was played late', () => {
    const dots = timedDots(
      settled(source({ timing: { pins: [], placed: [], rule: rule({ strength: 50 }) } })),
      found,
      [],
    )
    expect(dots).toHaveLength(strokes.length)
    for (const { step, offset, ownOffset } of dots) {
      expect(1000 * offset).toBeCloseTo(1000 * late(step), -0.5)
      expect(ownOffset).toBeCloseTo(Math.abs(offset) < 0.0007 ? offset : offset / 2, 6)
    }
  })
  it('holds in seconds of the file, whatever part of it is worked with', () => {
    const start = Math.round(1.2 * RATE)
    const whole = settled(source({ timing: { pins: [], placed: [], rule: rule({ strength: 100 }) } }))
    const part = settled({ ...whole, range: { start, end: frames } })
    const pinsOf = (of: Source) => recipeOf(of, newVariant('v', 'A', 'splice')).pins ?? []
    const inPart = pinsOf(part)
    expect(inPart.length).toBeGreaterThan(10)
    for (const { source: at, own } of inPart) {
      const same = pinsOf(whole).find((pin) => Math.abs(pin.source - at - 1.2) < 1e-6)
      expect(same?.own).toBeCloseTo(own + 1.2, 4)
    }
  })
  it('brings pins that make no sense into order instead of failing', () => {
    const broken = source({
      timing: {
        pins: [],
        placed: [
          { source: 1, own: 1.1 },
          { source: 0.5, own: 2 },
          { source: 2, own: 1 },
          { source: 3, own: 3 },
        ],
      },
    })
    const recipe = recipeOf(broken, newVariant('v', 'A', 'wsola'))
    expect(recipe.pins).toEqual([
      { source: 1, own: 1.1 },
      { source: 3, own: 3 },
    ])
    expect(planOf(recipe, { frames, sampleRate: RATE }).map.outputFrames).toBe(frames)
  })
  it('lets a speed curve change the length that the target counts from, and keeps it where that can be', () => {
    const points = [
      { seconds: 1, percent: 100 },
      { seconds: 1, percent: 50 },
      { seconds: 2, percent: 50 },
      { seconds: 2, percent: 100 },
    ]
    const slow = source({ timing: { pins: [], placed: [], speedCurve: { points } } })
    expect(timedFacts(slow)?.frames).toBe(frames + RATE)
    const kept = source({ timing: { pins: [], placed: [], speedCurve: { points, keepsLength: true } } })
    expect(timedFacts(kept)?.frames).toBe(frames)
    const all = [
      { seconds: 0, percent: 50 },
      { seconds: frames / RATE, percent: 50 },
    ]
    const cannot = source({ timing: { pins: [], placed: [], speedCurve: { points: all, keepsLength: true } } })
    expect(timedFacts(cannot)?.frames).toBe(2 * frames)
  })
  it('brings free playing onto a steady row from its first beat to its last', () => {
    const beats = [0, 0.6, 1.25, 1.8, 2.4]
    const grid = gridBeatsOf(source({ hand: { beats } }), found)
    expect(grid?.own).toEqual({ seconds: beats })
    expect(grid?.onto).toEqual({ bpm: 100, firstBeat: 0 })
  })
})

describe('what is heard at another speed', () => {
  const size = { frames, sampleRate: RATE }
  const variant = (methodId: string) =>
    recipeOf({ ...source(), target: { ...source().target, stretch: 1.5 } }, newVariant('v', 'A', methodId))

  it('is as long as that makes it, at the pitch that it has', () => {
    for (const methodId of ['wsola', 'vocoder', 'varispeed'])
      for (const speed of [0.5, 1, 2]) {
        const own = planOf(variant(methodId), size)
        const heard = recipeHeardAt(variant(methodId), speed, size)
        const plan = heard && planOf(heard, size)
        expect(plan?.map.length).toBeCloseTo(own.map.length / speed, 6)
        expect(plan?.pitchSemitones).toBeCloseTo(own.pitchSemitones, 6)
      }
    expect(recipeHeardAt(undefined, 1, size)).toBeUndefined()
    expect(recipeHeardAt(undefined, 2, size)).toMatchObject({ stretch: 0.5, pitchSemitones: 0 })
  })
  it('keeps what was timed where it is', () => {
    const pins = [{ source: 1, own: 1.05 }]
    const heard = recipeHeardAt({ ...variant('wsola'), stretch: 1, pins }, 2, size)
    const map = heard && planOf(heard, size).map
    const own = timingMap({ pins }, frames, RATE)
    for (let at = 0; at < frames; at += 9973)
      expect((map as typeof own).outputAt(at as never)).toBeCloseTo(own.outputAt(at as never) / 2, 6)
  })
})
