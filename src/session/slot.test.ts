import { describe, expect, it } from 'vitest'
import { planOf } from '../core'
import { newSource } from './create'
import { recipeOf } from './recipe'
import type { Source, Variant } from './schema'
import { filled, pictureOf, slotOf } from './slot'

const RATE = 44_100
const facts = (seconds: number) => ({
  frames: Math.round(seconds * RATE),
  sampleRate: RATE,
  channels: 1,
  container: 'WAV',
  peak: 0.5,
})
const film: Source = {
  ...newSource({ id: 'film', name: 'Clock', file: 'clock.webm', origin: 'file' }),
  facts: { ...facts(12), picture: { seconds: 12, width: 320, height: 180, rate: 25 } },
  marks: [
    { id: 'a', name: 'opens', seconds: 3 },
    { id: 'b', name: 'closes', seconds: 9 },
  ],
}
const line = (slot?: Source['slot'], more: Partial<Source> = {}): Source => ({
  ...newSource({ id: 'line', name: 'Line', file: 'line.wav', origin: 'file' }),
  facts: facts(5),
  ...(slot && { slot }),
  ...more,
})
const framesOf = (source: Source) =>
  planOf(recipeOf(source, source.variants[0] as Variant), {
    frames: source.range ? source.range.end - source.range.start : (source.facts?.frames ?? 0),
    sampleRate: RATE,
  }).map.outputFrames

describe('a slot of picture', () => {
  it('lies between two marks, or from the start, or to the end; not where marks run backwards or are gone', () => {
    const of = (slot: Source['slot']) => slotOf([film], { slot })
    expect(of({ film: 'film', from: 'a', to: 'b', fill: 'even' })).toEqual({ film, from: 3, to: 9 })
    expect(of({ film: 'film', to: 'a', fill: 'even' })).toEqual({ film, from: 0, to: 3 })
    expect(of({ film: 'film', from: 'b', fill: 'even' })).toEqual({ film, from: 9, to: 12 })
    expect(of({ film: 'film', from: 'b', to: 'a', fill: 'even' })).toBeUndefined()
    expect(of({ film: 'film', from: 'x', fill: 'even' })).toBeUndefined()
    expect(of({ film: 'other', fill: 'even' })).toBeUndefined()
  })
  it('says with which picture a sound is seen: its slot, or its own', () => {
    expect(pictureOf([film], line({ film: 'film', from: 'a', fill: 'free' }))).toEqual({ film, at: 3 })
    expect(pictureOf([film], film)).toEqual({ film, at: 0 })
    expect(pictureOf([film], { ...film, range: { start: RATE, end: 2 * RATE } })?.at).toBe(1)
    expect(pictureOf([film], line())).toBeUndefined()
  })
  it('is filled to the frame: evenly, by pauses, of a part of a file, under a speed curve', () => {
    const pauses = [
      { start: RATE, end: 1.5 * RATE },
      { start: 3 * RATE, end: 3.5 * RATE },
    ]
    const slot = { film: 'film', from: 'a', to: 'b' } as const
    const curve = { pins: [], placed: [], speedCurve: { points: [{ seconds: 1, percent: 80 }] } }
    for (const source of [
      line({ ...slot, fill: 'even' }),
      line({ ...slot, fill: 'pauses', pauses }),
      line({ ...slot, fill: 'pauses', pauses }, { range: { start: 7000, end: 4 * RATE + 13 } }),
      line({ ...slot, fill: 'even' }, { timing: curve }),
    ])
      expect(framesOf(filled([film, source], source, undefined))).toBe(6 * RATE)
    const free = line({ ...slot, fill: 'free' })
    expect(filled([film, free], free, undefined)).toBe(free)
  })
  it('lets the curve go that pauses made, when it is filled evenly after', () => {
    const slot = { film: 'film', from: 'a', to: 'b' } as const
    const pauses = [{ start: RATE, end: 2 * RATE }]
    const by = filled([film], line({ ...slot, fill: 'pauses', pauses }), undefined)
    expect(by.timing?.speedCurve).toBeDefined()
    const even = filled([film], { ...by, slot: { ...slot, fill: 'even' } }, 'pauses')
    expect(even.timing).toBeUndefined()
    expect(framesOf(even)).toBe(6 * RATE)
  })
})
