import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import * as damage from './damage'
import { AS_WRITTEN, type Ideal, idealItems } from './ideals'
import { type Figures, judge, pairAttacks } from './judge'

/** What the tables rest on: each figure is none on the ideal itself, and rises with the harm that it is there for. */
const played = (id: string): Ideal =>
  (idealItems.find((item) => item.id === id) as (typeof idealItems)[number]).play(AS_WRITTEN)
const made = new Map<string, Ideal>()
function ideal(id: string): Ideal {
  const known = made.get(id) ?? played(id)
  made.set(id, known)
  return known
}
const kindOf = (id: string) => (idealItems.find((item) => item.id === id) as (typeof idealItems)[number]).kind
const judged = (id: string, change: (audio: AudioBlock, item: Ideal) => AudioBlock): Figures =>
  judge(change(ideal(id).audio, ideal(id)), ideal(id), ideal(id), kindOf(id))

describe('the judge', () => {
  it.each(['castanets', 'chord', 'rain'])('finds nothing to say against the ideal of %s itself', (id) => {
    const figures = judged(id, (audio) => audio)
    for (const [name, value] of Object.entries(figures)) {
      // how much lies between partials is a level, not a difference; attacks and pitch are read, and a reading has its own error
      const own: Record<string, number> = { betweenDb: -60, slipMs: 1, detuneCents: 0.5 }
      expect([
        name,
        (name === 'betweenDb' ? (value as number) : Math.abs(value as number)) < (own[name] ?? 1e-6),
      ]).toEqual([name, true])
    }
  })
  it('counts lost and added attacks and times the late ones', () => {
    expect(judged('castanets', (audio, { attacks }) => damage.loseAttacks(audio, attacks, [3, 7]))).toMatchObject({
      lost: 2,
    })
    const twice = judged('castanets', (audio, { attacks }) => damage.repeatAttacks(audio, attacks, [0, 1], 0.09))
    expect(twice.added).toBe(2)
    const late = judged('castanets', (audio, { attacks }) => damage.slipAttacks(audio, attacks, [9, 0, -9]))
    expect(Math.abs((late.slipMs ?? 0) - 9)).toBeLessThan(1)
  })
  it('hears edges go and energy come before them', () => {
    const soft = judged('castanets', (audio) => damage.smear(audio, 8))
    expect(soft.sharpnessLostDb).toBeGreaterThan(0.5)
    expect(soft.beforeDb).toBeGreaterThan(5)
  })
  it('hears tones shake, lie off, and noise between them', () => {
    const shaken = judged('chord', (audio) => damage.modulate(audio, 5, 20))
    expect(shaken.flutterDb).toBeGreaterThan(0.5)
    const sharp = judged('chord', (audio) => damage.detune(audio, 10))
    expect(sharp.detuneCents).toBeCloseTo(10, 0)
    expect(shaken.detuneCents).toBeLessThan(1)
    const hissing = judged('chord', (audio) => damage.diffuse(audio, 300, 0.1))
    expect(hissing.betweenDb).toBeGreaterThan((judged('chord', (audio) => audio).betweenDb ?? 0) + 20)
  })
  it('hears noise repeat itself, pulse, and move between the sides', () => {
    expect(judged('rain', (audio) => damage.repeatPieces(audio, 20, 1)).flatnessDb).toBeLessThan(-0.3)
    expect(judged('rain', (audio) => damage.modulate(audio, 30, 40)).modulationDb).toBeGreaterThan(3)
    const leaning = judged('rain', (audio) => damage.lean(audio, 4))
    expect(leaning.balanceDb).toBeCloseTo(4, 1)
    expect(judged('rain', (audio) => damage.narrow(audio, 0.6)).coherence).toBeGreaterThan(0.3)
  })
  it('tells loudness and distance apart from all else', () => {
    const quiet = judged('rain', (audio) => damage.gain(audio, -6))
    expect(quiet.loudness).toBeCloseTo(-6, 1)
    expect(quiet.distance).toBeCloseTo(6, 0)
    expect(quiet.flatnessDb).toBeCloseTo(0, 3)
  })
})

describe('pairing', () => {
  it('takes the nearest first, each once, and none too far off', () => {
    expect(pairAttacks([1.0, 2.02, 3.5], [1.01, 2.0, 3.0], 0.05)).toEqual({
      slips: [expect.closeTo(-0.01, 9), expect.closeTo(0.02, 9)],
      lost: 1,
      added: 1,
    })
    expect(pairAttacks([1.0, 1.02], [1.01], 0.05)).toMatchObject({ lost: 0, added: 1 })
    expect(pairAttacks([], [], 0.05)).toEqual({ slips: [], lost: 0, added: 0 })
  })
})
