import { describe, expect, it } from 'vitest'
import { createRandom } from '../dsp/random'
import { AppError } from '../errors'
import { asOutput, asSource } from './axes'
import { holdAttacks } from './holdAttacks'
import { constantPitch, pointPitch, tapeMap, tunedMap } from './pitchLine'
import { type Ramp, rampEnd, rampIntegral, rampInverse, rampRate } from './ramp'
import { type MapPoint, pointMap, straightMap, type TimeMap } from './timeMap'

const RATE = 48_000
const SEED = 4_711

const kinds = ['line', 'linear', 'log'] as const

/** A map through random points with random curves; ramps that would run back are left out. */
function randomMap(random: () => number): TimeMap {
  for (;;) {
    const points: MapPoint[] = [{ sourceSeconds: 0, outputSeconds: 0, curve: 'line' }]
    for (let n = 0; n < 6; n++) {
      const last = points[points.length - 1] as MapPoint
      const freeze = random() < 0.15
      points.push({
        sourceSeconds: Math.min(10, last.sourceSeconds + (freeze ? 0 : 0.1 + random())),
        outputSeconds: last.outputSeconds + 0.1 + 2 * random(),
        curve: kinds[Math.floor(3 * random())] as MapPoint['curve'] & string,
        ...(random() < 0.3 && { speed: 0.2 + random() }),
      })
    }
    try {
      return pointMap(10 * RATE, RATE, points)
    } catch (error) {
      if (!(error instanceof AppError)) throw error
    }
  }
}

describe('ramps', () => {
  it.each(kinds)('have an integral that is the sum of their rate, and an exact inverse: %s', (kind) => {
    const ramp: Ramp = { kind, length: 1000, from: 0.4, to: kind === 'line' ? 0.4 : 1.7 }
    let sum = 0
    for (let t = 0; t < 1000; t += 0.5) {
      sum += 0.25 * (rampRate(ramp, t) + rampRate(ramp, t + 0.5))
      expect(Math.abs(rampIntegral(ramp, t + 0.5) - sum)).toBeLessThan(1e-3)
      expect(Math.abs(rampInverse(ramp, rampIntegral(ramp, t)) - t)).toBeLessThan(1e-9)
    }
  })

  it('lose nothing when they hardly change', () => {
    const ramp: Ramp = { kind: 'log', length: 1e7, from: 1, to: 1 + 1e-8 }
    expect(Math.abs(rampIntegral(ramp, 1e7) - (1e7 + 0.05))).toBeLessThan(1e-6)
    expect(Math.abs(rampInverse(ramp, rampIntegral(ramp, 12_345.5)) - 12_345.5)).toBeLessThan(1e-6)
  })

  it('end at the rate that gives the wanted mean', () => {
    for (const kind of ['linear', 'log'] as const) {
      const to = rampEnd(kind, 0.5, 0.8) as number
      expect(rampIntegral({ kind, length: 10, from: 0.5, to }, 10)).toBeCloseTo(8, 9)
    }
    expect(rampEnd('linear', 2, 0.5)).toBeUndefined()
    expect(rampEnd('log', 2, 0.5)).toBeLessThan(0.5)
  })
})

describe('maps by hand', () => {
  it('go through their points, never run back, and undo themselves', () => {
    const random = createRandom(SEED)
    for (let round = 0; round < 40; round++) {
      const map = randomMap(random)
      let before = -1
      for (let output = 0; output <= map.outputFrames; output += 997) {
        const source = map.sourceAt(asOutput(output))
        expect(source).toBeGreaterThanOrEqual(before - 1e-6)
        before = source
        // where the source stands still the inverse says when it came to stand
        const back = map.outputAt(asSource(source))
        expect(map.sourceAt(back)).toBeCloseTo(source, 4)
        const slope = (map.sourceAt(asOutput(output + 0.01)) - map.sourceAt(asOutput(output - 0.01))) / 0.02
        const speed = map.speedAt(asOutput(output))
        // where it all but stands, a hair of source is many frames of result
        if (speed > 0.01) expect(back).toBeLessThanOrEqual(output + 0.5)
        expect(Math.abs(slope - speed)).toBeLessThan(0.02 + 2 * speed)
      }
      expect(map.outputFrames).toBe(Math.round(map.length))
    }
  })

  it('freeze where the source stands still, and start ramps at the speed that was', () => {
    const map = pointMap(4 * RATE, RATE, [
      { sourceSeconds: 0, outputSeconds: 0 },
      { sourceSeconds: 1, outputSeconds: 2, curve: 'linear' },
      { sourceSeconds: 2, outputSeconds: 3 },
      { sourceSeconds: 2, outputSeconds: 5 },
      { sourceSeconds: 4, outputSeconds: 6 },
    ])
    expect(map.speedAt(asOutput(1 * RATE))).toBe(0.5)
    expect(map.speedAt(asOutput(2 * RATE))).toBeCloseTo(0.5, 9)
    expect(map.speedAt(asOutput(3 * RATE - 1))).toBeCloseTo(1.5, 3)
    expect(map.sourceAt(asOutput(4 * RATE))).toBe(2 * RATE)
    expect(map.speedAt(asOutput(4 * RATE))).toBe(0)
    expect(map.outputAt(asSource(2 * RATE))).toBe(3 * RATE)
    expect(map.outputFrames).toBe(6 * RATE)
  })

  it.each([
    [[{ sourceSeconds: 0, outputSeconds: 0 }], 'map/count', ''],
    [
      [
        { sourceSeconds: 0, outputSeconds: 1 },
        { sourceSeconds: 1, outputSeconds: 2 },
      ],
      'map/point',
      'output 0',
    ],
    [
      [
        { sourceSeconds: 0, outputSeconds: 0 },
        { sourceSeconds: 1, outputSeconds: 0 },
      ],
      'map/point',
      'behind',
    ],
    [
      [
        { sourceSeconds: 1, outputSeconds: 0 },
        { sourceSeconds: 0, outputSeconds: 1 },
      ],
      'map/point',
      'before',
    ],
    [
      [
        { sourceSeconds: 0, outputSeconds: 0 },
        { sourceSeconds: 99, outputSeconds: 1 },
      ],
      'map/point',
      'between 0 and',
    ],
    [
      [
        { sourceSeconds: Number.NaN, outputSeconds: 0 },
        { sourceSeconds: 1, outputSeconds: 1 },
      ],
      'map/point',
      'numbers',
    ],
    [
      [
        { sourceSeconds: 0, outputSeconds: 0, curve: 'linear' as const, speed: 5 },
        { sourceSeconds: 1, outputSeconds: 1 },
      ],
      'map/point',
      'run back',
    ],
  ])('that do not hold are refused by point and reason', (points, code, why) => {
    try {
      pointMap(4 * RATE, RATE, points)
      expect.unreachable()
    } catch (error) {
      expect((error as AppError).code).toBe(code)
      expect(String((error as AppError).details.why ?? '')).toContain(why)
    }
  })
})

describe('attack hold', () => {
  const attacks = [0.3, 0.7, 0.74, 1.2, 1.9].map((t) => t * RATE)
  const hold = { strength: 1, leadFrames: 240, holdFrames: 2880, naturalSpeedAt: () => 1 }

  it.each([0.15, 0.5, 0.93, 1.7, 4, 60])(
    'passes every attack once, at its place and its own speed, at %d ×',
    (stretch) => {
      const plain = straightMap(2 * RATE, stretch)
      const map = holdAttacks(plain, attacks, hold)
      expect(map.outputFrames).toBe(plain.outputFrames)
      for (const attack of attacks) {
        const place = map.outputAt(asSource(attack))
        expect(place).toBeCloseTo(plain.outputAt(asSource(attack)), 3)
        expect(map.speedAt(asOutput(place + 1))).toBeCloseTo(1, 6)
        expect(map.sourceAt(asOutput(place + 10))).toBeCloseTo(attack + 10, 3)
      }
      let before = map.sourceAt(asOutput(0))
      for (let output = 1; output < map.outputFrames; output += Math.max(1, Math.floor(stretch * 7))) {
        const source = map.sourceAt(asOutput(output))
        expect(source).toBeGreaterThanOrEqual(before)
        expect(map.outputAt(source)).toBeCloseTo(output, 3)
        before = source
      }
      expect(map.sourceAt(asOutput(map.length))).toBeCloseTo(2 * RATE, 3)
    },
  )

  it('goes halfway at half strength, and nowhere at none', () => {
    const plain = straightMap(2 * RATE, 4)
    const half = holdAttacks(plain, attacks, { ...hold, strength: 0.5 })
    expect(half.speedAt(asOutput(half.outputAt(asSource(attacks[0] as number)) + 5))).toBeCloseTo(0.5, 6)
    expect(holdAttacks(plain, attacks, { ...hold, strength: 0 })).toBe(plain)
  })

  it.each([0.5, 1.25, 4, 30])(
    'makes up for a hold soon where it is to, and then is the map without it: %s ×',
    (stretch) => {
      const plain = straightMap(4 * RATE, stretch)
      const [attack, next] = [RATE, 3 * RATE]
      const SETTLED = 0.1 * RATE
      const map = holdAttacks(plain, [attack, next], { ...hold, makesUpAfter: [SETTLED, SETTLED] })
      const held = attack * stretch + hold.holdFrames
      const settled = stretch > 1 ? SETTLED : 0
      const gained = Math.abs(hold.holdFrames * (stretch - 1))
      for (let share = 0.01; share < 1; share += 0.01) {
        // where it waits, first as fast as the map; then at half or at one and a half of it; then the map itself
        if (stretch > 1) expect(map.speedAt(asOutput(held + share * settled))).toBeCloseTo(1 / stretch, 6)
        const back = map.speedAt(asOutput(held + settled + share * 2 * gained))
        expect(back * stretch).toBeCloseTo(stretch > 1 ? 0.5 : 1.5, 6)
        const output = held + settled + 2 * gained + share * 0.3 * RATE * stretch
        expect(map.sourceAt(asOutput(output))).toBeCloseTo(plain.sourceAt(asOutput(output)), 3)
      }
    },
  )

  it.each([undefined, 0, 2000])(
    'holds over random maps by hand without ever running back: made up for after %s',
    (after) => {
      const random = createRandom(SEED + 1)
      for (let round = 0; round < 20; round++) {
        const plain = randomMap(random)
        const own = Array.from({ length: 12 }, () => random() * 5 * RATE).sort((a, b) => a - b)
        const map = holdAttacks(plain, own, { ...hold, makesUpAfter: own.map(() => after) })
        let before = Number.NEGATIVE_INFINITY
        for (let output = 0; output < map.outputFrames; output += 313) {
          const source = map.sourceAt(asOutput(output))
          expect(source).toBeGreaterThanOrEqual(before - 1e-6)
          before = source
        }
      }
    },
  )
})

describe('pitch lines', () => {
  const line = pointPitch(
    [
      { outputSeconds: 0.5, semitones: 0 },
      { outputSeconds: 1.5, semitones: 12 },
      { outputSeconds: 2, semitones: -5 },
    ],
    RATE,
  )

  it('are straight in semitones between points and level beyond them', () => {
    expect(line.ratioAt(asOutput(0))).toBe(1)
    expect(line.ratioAt(asOutput(RATE))).toBeCloseTo(2 ** 0.5, 9)
    expect(line.ratioAt(asOutput(9 * RATE))).toBeCloseTo(2 ** (-5 / 12), 9)
    expect(line.constantRatio).toBeUndefined()
    expect(pointPitch([{ outputSeconds: 0, semitones: 7 }], RATE, 5).constantRatio).toBe(2)
  })

  it('integrate to the tuned axis and back', () => {
    let sum = 0
    for (let output = 0; output < 3 * RATE; output += 50) {
      expect(Math.abs(line.toTuned(asOutput(output)) - sum)).toBeLessThan(0.5)
      expect(line.fromTuned(line.toTuned(asOutput(output)))).toBeCloseTo(output, 5)
      sum += 25 * (line.ratioAt(asOutput(output)) + line.ratioAt(asOutput(output + 50)))
    }
  })

  it('give maps whose speed and inverse hold, for reading back and for tape', () => {
    for (const make of [tunedMap, tapeMap]) {
      const map = make(straightMap(2 * RATE, 1.5), line)
      for (let output = 10; output < map.outputFrames; output += 1777) {
        const slope = (map.sourceAt(asOutput(output + 1)) - map.sourceAt(asOutput(output - 1))) / 2
        expect(map.speedAt(asOutput(output))).toBeCloseTo(slope, 3)
        expect(map.outputAt(map.sourceAt(asOutput(output)))).toBeCloseTo(output, 4)
      }
    }
    const octave = tapeMap(straightMap(2 * RATE, 1), constantPitch(12))
    expect(octave.outputFrames).toBe(RATE)
  })

  it('that do not hold are refused by point and reason', () => {
    expect(() => pointPitch([], RATE)).toThrow(AppError)
    expect(() => pointPitch([{ outputSeconds: 0, semitones: 40 }], RATE)).toThrow(/36/)
    expect(() =>
      pointPitch(
        [
          { outputSeconds: 1, semitones: 0 },
          { outputSeconds: 1, semitones: 2 },
        ],
        RATE,
      ),
    ).toThrow(/behind/)
  })
})
