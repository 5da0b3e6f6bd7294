import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { openMetre } from './metre'
import { ownPassage, tempoPassage } from './ownBeats'
import { composed, type Passage, reversed, straight, through } from './passage'
import { openTempo, type TempoLine, tempoBetween } from './tempoLine'
import { tempoSteps } from './tempoSteps'

const line: TempoLine = [
  { beat: 0, bpm: 131 },
  { beat: 16, bpm: 131, curve: 'linear' },
  { beat: 32, bpm: 110, curve: 'log' },
  { beat: 48, bpm: 80 },
]

/** Points that rise on both axes, some close and some far. */
function drawn(seed: number): Passage {
  const random = createRandom(seed)
  let at = -3
  let to = 5
  return through(
    Array.from({ length: 12 }, () => {
      at += 0.01 + 3 * random()
      to += 0.01 + 3 * random()
      return { at, to }
    }),
  )
}
const ways: Passage[] = [
  straight(0.4, -2),
  drawn(1),
  drawn(2),
  tempoPassage(openTempo(line)) as Passage,
  reversed(drawn(3)),
]
const places = Array.from({ length: 101 }, (_, n) => -10 + 0.7 * n)
const near = (a: number, b: number) => expect(Math.abs(a - b)).toBeLessThan(1e-8 * Math.max(1, Math.abs(b)))

describe('ways between axes', () => {
  it('have an exact inverse, alone and composed', () => {
    for (const a of ways)
      for (const b of ways) {
        const both = composed(a, b)
        for (const at of places) near(both.from(both.to(at)), at)
      }
  })
  it('compose in any grouping', () => {
    for (const a of ways)
      for (const b of ways)
        for (const c of ways)
          for (const at of places.filter((_, n) => n % 9 === 0))
            near(composed(composed(a, b), c).to(at), composed(a, composed(b, c)).to(at))
  })
  it('go as fast as they say, wherever they are asked, in any order', () => {
    const random = createRandom(9)
    for (const a of ways)
      for (const b of ways) {
        const both = composed(a, b)
        for (let n = 0; n < 40; n++) {
          const at = -10 + 60 * random()
          const slope = (both.to(at + 1e-6) - both.to(at - 1e-6)) / 2e-6
          // at a corner the slope is one of either side
          if (Math.abs(both.speedAt(at + 1e-5) - both.speedAt(at - 1e-5)) < 1e-3)
            expect(Math.abs(slope / both.speedAt(at) - 1)).toBeLessThan(1e-3)
        }
      }
  })
  it('refuse what does not rise', () => {
    expect(() => straight(0)).toThrow(RangeError)
    expect(() => through([{ at: 0, to: 0 }])).toThrow(RangeError)
    expect(() =>
      through([
        { at: 0, to: 1 },
        { at: 1, to: 1 },
      ]),
    ).toThrow(RangeError)
  })
  it('lay each beat of a free performance on its beat, and beats beyond its ends as next to them', () => {
    const beats = ownPassage({ seconds: [0.3, 0.9, 1.4, 2.2] })
    expect([0, 1, 2, 3].map((beat) => beats.to(beat as never))).toEqual([0.3, 0.9, 1.4, 2.2])
    near(beats.to(4 as never), 3)
    near(beats.to(-1 as never), -0.3)
  })
})

describe('a metre', () => {
  it('counts bars through its changes, both ways', () => {
    const metre = openMetre([
      { bar: 0, beatsPerBar: 4 },
      { bar: 2, beatsPerBar: 3 },
      { bar: 5, beatsPerBar: 7 },
    ])
    expect([0, 1, 2, 3, 5, 6].map(metre.beatOfBar)).toEqual([0, 4, 8, 11, 17, 24])
    for (let beat = -8; beat < 60; beat += 0.25) {
      const { bar, beat: inBar, beatsPerBar } = metre.barAt(beat)
      expect(metre.beatOfBar(bar) + inBar).toBeCloseTo(beat, 9)
      expect(inBar).toBeGreaterThanOrEqual(0)
      expect(inBar).toBeLessThan(beatsPerBar)
    }
  })
})

describe('a tempo line', () => {
  it('has one tempo in a section and is what it was around it', () => {
    const changed = tempoBetween(line, { from: 8, to: 40 }, 96)
    const [before, after] = [openTempo(line), openTempo(changed)]
    for (const beat of [0, 4, 7.9, 40, 44, 47, 60]) near(after.bpmAt(beat), before.bpmAt(beat))
    for (const beat of [8, 20, 39.9]) near(after.bpmAt(beat), 96)
    near(after.secondsAt(47) - after.secondsAt(40), before.secondsAt(47) - before.secondsAt(40))
  })
  it('keeps its beats where they are when it is written as steps', () => {
    const steps = openTempo(tempoSteps(line))
    for (let beat = 0; beat <= 60; beat++) near(steps.secondsAt(beat), openTempo(line).secondsAt(beat))
  })
})
