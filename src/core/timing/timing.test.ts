import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { asOutput, asSource } from '../timeline/axes'
import { openGrid, STRAIGHT_SWING } from './grid'
import { grooveJson, readGroove, takeGroove } from './groove'
import type { Hit } from './hits'
import { dotsOf, offGridOf, offGridWords } from './offGrid'
import { gapsOf, leastGap, type Pin, placePin } from './pins'
import { pinsOf, type TimingRule } from './quantise'
import { readPins } from './readPins'
import { readSpeedCurve, speedBetween, speedMap } from './speedCurve'
import { findRuns, naturalRuns, timingMap } from './timing'

const RATE = 48_000
const OWN = { bpm: 100, firstBeat: 0.1 }
const rule = (change: Partial<TimingRule> = {}): TimingRule => ({
  grid: '1/16',
  swing: STRAIGHT_SWING,
  strength: 100,
  ...change,
})
const STEP = 60 / OWN.bpm / 4

/** Hits on sixteenths, each late by so much, seconds. */
const played = (late: (n: number) => number, count = 64): Hit[] =>
  Array.from({ length: count }, (_, n) => ({
    seconds: OWN.firstBeat + n * STEP + late(n),
    strength: n % 4 === 0 ? 1 : 0.5,
  }))

/** Pins as somebody might place them: some hits, some of them moved. */
function drawnPins(seed: number): { pins: Pin[]; seconds: number } {
  const random = createRandom(seed)
  const hits = played(() => 0.06 * (random() - 0.5)).filter(() => random() < 0.7)
  const hand = hits
    .filter(() => random() < 0.3)
    .map(({ seconds }) => ({ source: seconds, own: seconds + 0.08 * (random() - 0.5) }))
  return {
    pins: pinsOf(hits, hand, random() < 0.5 ? { rule: rule({ strength: 100 * random() }), own: OWN } : undefined),
    seconds: 10,
  }
}

describe('pins', () => {
  it('make maps that rise, have an exact inverse, and keep the length, whatever is pinned', () => {
    for (let seed = 1; seed <= 60; seed++) {
      const { pins, seconds } = drawnPins(seed)
      const map = timingMap({ pins }, seconds * RATE, RATE)
      expect(map.outputFrames).toBe(seconds * RATE)
      let last = Number.NEGATIVE_INFINITY
      for (let at = 0; at < map.outputFrames; at += 1777) {
        const source = map.sourceAt(asOutput(at))
        expect(source).toBeGreaterThan(last)
        expect(Math.abs(map.outputAt(source) - at)).toBeLessThan(1e-6)
        last = source
      }
    }
  })
  it('move only what lies between the neighbours of the one that is moved', () => {
    const hits = played(() => 0, 20)
    for (const n of [3, 8, 15]) {
      const { seconds } = hits[n] as Hit
      const pins = pinsOf(hits, [{ source: seconds, own: seconds + 0.04 }])
      expect(pins).toHaveLength(3)
      const map = timingMap({ pins }, 5 * RATE, RATE)
      for (let at = 0; at < 5 * RATE; at += 331) {
        const isInside = at > (hits[n - 1] as Hit).seconds * RATE && at < (hits[n + 1] as Hit).seconds * RATE
        if (!isInside) expect(Math.abs(map.sourceAt(asOutput(at)) - at)).toBeLessThan(1e-6)
      }
      expect(
        Math.abs(map.outputAt(asSource(Math.round(seconds * RATE))) - Math.round((seconds + 0.04) * RATE)),
      ).toBeLessThan(1e-6)
    }
  })
  it('stop where a gap can be pressed no further, and say on which side', () => {
    const others = [1, 2, 3].map((at) => ({ source: at, own: at }))
    expect(placePin(others, 1.5, 1.6, 4)).toEqual({ own: 1.6 })
    expect(placePin(others, 1.5, 0.2, 4)).toEqual({ own: 1 + leastGap(0.5), stopped: 'early' })
    expect(placePin(others, 1.5, 3, 4)).toEqual({ own: 2 - leastGap(0.5), stopped: 'late' })
    expect(placePin([], 0.001, -1, 4)).toEqual({ own: 0, stopped: 'early' })
  })
  it('tell how far each gap is stretched', () => {
    const gaps = gapsOf(
      [
        { source: 1, own: 1.5 },
        { source: 2, own: 2 },
      ],
      4,
    )
    expect(gaps.map(({ stretch }) => stretch)).toEqual([1.5, 0.5, 1])
  })
  it('are read from JSON, and refused with the one that does not hold', () => {
    expect(readPins('{"pins":[{"source":2,"by":-0.1},{"source":1,"to":1.2}]}', 'p.json')).toEqual([
      { source: 1, own: 1.2 },
      { source: 2, own: 1.9 },
    ])
    for (const [text, why] of [
      ['{', 'JSON'],
      ['{"pins":3}', 'list'],
      ['[{"source":1}]', 'pin 1'],
      ['[{"source":1,"to":2},{"source":1.5,"to":1.9}]', 'would pass'],
      ['[{"source":1,"to":-2}]', 'before the start'],
    ] as const)
      expect(() => readPins(text, 'p.json')).toThrowError(
        expect.objectContaining({
          code: 'pins/json',
          details: expect.objectContaining({ why: expect.stringContaining(why) }),
        }),
      )
  })
})

describe('a rule', () => {
  const random = createRandom(4)
  const late = Array.from({ length: 64 }, () => 0.05 * (random() - 0.5))
  const hits = played((n) => late[n] as number)
  const moved = (change: Partial<TimingRule>) =>
    new Map(pinsOf(hits, [], { rule: rule(change), own: OWN }).map(({ source, own }) => [source, own]))

  it('draws hits as far as its strength says, and leaves what is there already', () => {
    for (const strength of [0, 30, 50, 100]) {
      const places = moved({ strength })
      hits.forEach(({ seconds }, n) => {
        const off = late[n] as number
        const wanted = OWN.firstBeat + n * STEP + (Math.abs(off) < 0.0007 ? off : (1 - strength / 100) * off)
        expect(places.get(seconds)).toBeCloseTo(wanted, 9)
      })
    }
    const again = hits.map((hit) => ({ ...hit, seconds: moved({}).get(hit.seconds) as number }))
    for (const { source, own } of pinsOf(again, [], { rule: rule(), own: OWN })) expect(own).toBe(source)
  })
  it('leaves alone what lies farther off than its window, and what is not chosen', () => {
    const near = moved({ windowMs: 10 })
    const chosen = moved({ from: 2, to: 4 })
    hits.forEach(({ seconds }, n) => {
      const off = Math.abs(late[n] as number)
      if (off > 0.01) expect(near.get(seconds)).toBe(seconds)
      else if (off > 0.0007) expect(near.get(seconds)).not.toBe(seconds)
      if (seconds < 2 || seconds > 4) expect(chosen.get(seconds)).toBe(seconds)
    })
  })
  it('swings the second of each pair: at 66.7 % it lies where the last of three would', () => {
    const grid = openGrid({ grid: '1/8', swing: 200 / 3 }, OWN)
    expect(grid.at(1) - grid.at(0)).toBeCloseTo((2 / 3) * (60 / OWN.bpm), 6)
    expect(grid.at(2) - grid.at(0)).toBeCloseTo(60 / OWN.bpm, 9)
  })
  it('gives way to pins by hand, and stands again when they are gone', () => {
    const hand = [{ source: (hits[9] as Hit).seconds, own: (hits[9] as Hit).seconds + 0.03 }]
    const both = pinsOf(hits, hand, { rule: rule(), own: OWN })
    const alone = pinsOf(hits, [], { rule: rule(), own: OWN })
    both.forEach((pin, n) => {
      expect(pin).toEqual(n === 9 ? hand[0] : alone[n])
    })
  })
  it('takes a grace note along with its stroke', () => {
    const graced = [...hits, { seconds: (hits[20] as Hit).seconds + 0.03, strength: 0.1 }].sort(
      (a, b) => a.seconds - b.seconds,
    )
    const places = new Map(pinsOf(graced, [], { rule: rule(), own: OWN }).map(({ source, own }) => [source, own]))
    const { seconds } = hits[20] as Hit
    expect((places.get(seconds + 0.03) as number) - (places.get(seconds) as number)).toBeCloseTo(0.03, 9)
  })
  it('brings a free performance onto a steady row by the beats that it was played to', () => {
    const beats = Array.from({ length: 17 }, (_, n) => 0.2 + 0.6 * n + 0.15 * Math.sin(0.4 * n))
    const free = beats
      .slice(0, 16)
      .flatMap((at, n) => [at, (at + (beats[n + 1] as number)) / 2])
      .map((seconds) => ({ seconds, strength: 1 }))
    const onto = { bpm: 100, firstBeat: 0.2 }
    const pins = pinsOf(free, [], { rule: rule(), own: { seconds: beats }, onto })
    pins.forEach(({ own }, n) => {
      expect(own).toBeCloseTo(0.2 + 0.3 * n, 9)
    })
  })
})

describe('a groove', () => {
  const swung = (n: number) => (n % 2 ? 0.02 : n % 16 === 4 ? -0.008 : 0)

  it('is found as it was played, to within 2 ms, with how steady it is', () => {
    const random = createRandom(2)
    const groove = takeGroove(
      played((n) => swung(n) + 0.004 * (random() - 0.5)),
      OWN,
      { grid: '1/16', beatsPerBar: 4, bars: 1 },
    )
    groove.offsets.forEach((offset, n) => {
      expect(Math.abs(((offset as number) * 60) / OWN.bpm - swung(n))).toBeLessThan(0.002)
      expect(((groove.spreads[n] as number) * 60) / OWN.bpm).toBeLessThan(0.002)
      expect(groove.counts[n]).toBe(4)
    })
  })
  it('laid on a straight loop of another tempo moves each step by the same share of a beat', () => {
    const groove = takeGroove(played(swung), OWN, { grid: '1/16', beatsPerBar: 4, bars: 1 })
    const other = { bpm: 125, firstBeat: 0.3 }
    const step = 60 / 125 / 4
    const straight = Array.from({ length: 32 }, (_, n) => ({ seconds: 0.3 + n * step, strength: 1 }))
    const pins = pinsOf(straight, [], { rule: rule({ groove }), own: other })
    pins.forEach(({ source, own }, n) => {
      expect(own - source).toBeCloseTo((swung(n) * OWN.bpm) / 125, 6)
    })
  })
  it('goes into JSON and comes back', () => {
    const groove = takeGroove(
      played(swung).filter((_, n) => n % 3 > 0),
      OWN,
      { grid: '1/16', beatsPerBar: 4, bars: 2 },
    )
    const back = readGroove(grooveJson(groove, 'winch'), 'g.json')
    expect(back.offsets.map((offset) => offset === null)).toEqual(groove.offsets.map((offset) => offset === null))
    back.offsets.forEach((offset, n) => {
      if (offset !== null) expect(offset).toBeCloseTo(groove.offsets[n] as number, 5)
    })
    expect(() => readGroove('{"steps":[]}', 'g.json')).toThrowError(expect.objectContaining({ code: 'groove/json' }))
    expect(() => readGroove('{"steps":[{"step":99,"offsetBeats":0}]}', 'g.json')).toThrowError(/groove/)
  })
  it('says so where nothing is struck', () => {
    expect(() => takeGroove([], OWN, { grid: '1/16', beatsPerBar: 4, bars: 1 })).toThrowError(
      expect.objectContaining({ code: 'groove/none' }),
    )
  })
})

describe('the off-grid figures', () => {
  const told = (hits: readonly Hit[]) => {
    const grid = openGrid(rule(), OWN)
    const figures = offGridOf(dotsOf(hits, grid), grid, 4)
    return figures && { ...figures, words: offGridWords(figures, 4) }
  }
  it('tell a slope, a swing and a cloud apart, in words', () => {
    const random = createRandom(7)
    expect(told(played(() => 0))?.words).toBe('tight')
    expect(told(played((n) => (0.016 * n) / 64))).toMatchObject({
      slopeMsPerBar: expect.closeTo(4, 1),
      words: 'drags 16 ms by bar 4; tight',
    })
    expect(told(played((n) => (n % 2 ? 0.022 : 0)))?.words).toBe('off-beats 22 ms late; tight')
    expect(told(played(() => 0.008))?.words).toBe('8.0 ms late throughout; tight')
    expect(told(played(() => 0.04 * (random() - 0.5)))?.words).toMatch(/^loose \(1\d ms\)$/)
    expect(told(played(() => 0, 2))).toBeUndefined()
  })
})

describe('a speed curve', () => {
  it('slows a sentence to 80 %, and leaves the rest as it is but for its place', () => {
    const speedCurve = { points: speedBetween(1, 3, 80) }
    const map = timingMap({ speedCurve }, 5 * RATE, RATE)
    expect(map.outputFrames).toBe(5 * RATE + RATE / 2)
    expect(map.outputAt(asSource(RATE))).toBeCloseTo(RATE, 6)
    expect(map.outputAt(asSource(3 * RATE))).toBeCloseTo(3.5 * RATE, 6)
    expect(map.speedAt(asOutput(2 * RATE))).toBeCloseTo(0.8, 9)
    expect(naturalRuns({ speedCurve }, 5 * RATE, RATE)).toEqual([
      { from: 0, to: RATE, offset: 0 },
      { from: 3.5 * RATE, to: 5.5 * RATE, offset: -RATE / 2 },
    ])
  })
  it('keeps the length where that is wanted, by what lies around it', () => {
    const points = speedBetween(1, 3, 80)
    expect(speedMap({ points, keepsLength: true }, 5 * RATE, RATE).outputFrames).toBe(5 * RATE)
    expect(() => speedMap({ points: speedBetween(0, 5, 80), keepsLength: true }, 5 * RATE, RATE)).toThrowError(
      expect.objectContaining({ code: 'speed/length' }),
    )
  })
  it('goes from point to point without a leap, straight or gently, with an exact inverse', () => {
    for (const curve of ['straight', 'curved'] as const) {
      const map = speedMap(
        {
          points: [
            { seconds: 1, percent: 100, curve },
            { seconds: 3, percent: 50 },
          ],
        },
        5 * RATE,
        RATE,
      )
      let last = 1
      for (let at = 0; at < map.outputFrames; at += 997) {
        const speed = map.speedAt(asOutput(at))
        expect(Math.abs(speed - last)).toBeLessThan(0.03)
        expect(Math.abs(map.outputAt(map.sourceAt(asOutput(at))) - at)).toBeLessThan(1e-5)
        last = speed
      }
      expect(last).toBeCloseTo(0.5, 3)
    }
  })
  it('is read from JSON, and refused with the point that does not hold', () => {
    expect(
      readSpeedCurve('{"points":[{"seconds":1,"percent":80,"curve":"curved"}],"keepsLength":true}', 'c.json'),
    ).toEqual({
      points: [{ seconds: 1, percent: 80, curve: 'curved' }],
      keepsLength: true,
    })
    expect(() => readSpeedCurve('[{"seconds":1}]', 'c.json')).toThrowError(
      expect.objectContaining({ code: 'speed/json' }),
    )
    expect(() => readSpeedCurve('[{"seconds":1,"percent":0}]', 'c.json')).toThrowError(
      expect.objectContaining({ code: 'speed/point' }),
    )
    expect(() => readSpeedCurve('[]', 'c.json')).toThrowError(expect.objectContaining({ code: 'speed/count' }))
  })
})

describe('what pins leave as it is', () => {
  it('is found pin by pin as the map itself has it', () => {
    const random = createRandom(3)
    for (let n = 0; n < 200; n++) {
      const frames = 48_000 + Math.floor(9000 * random())
      const pins: Pin[] = []
      let source = 0.05 * random()
      let own = source + (random() < 0.5 ? 0 : 0.02 * random())
      while (source < 1) {
        pins.push({ source, own })
        const gap = 0.02 + 0.15 * random()
        source += gap
        own += random() < 0.5 ? gap : gap * (0.6 + 0.8 * random())
      }
      const map = timingMap({ pins }, frames, 48_000)
      expect(naturalRuns({ pins }, frames, 48_000)).toEqual(findRuns(map, { pins }, 48_000))
    }
  })
})
