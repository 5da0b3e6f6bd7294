import { describe, expect, it } from 'vitest'
import { type AudioBlock, frameCount } from '../audio/block'
import { createRandom } from '../dsp/random'
import { finish } from '../task'
import { AS_WRITTEN, idealItems } from '../testing/ideals'
import { drawnItem } from '../testing/scores'
import { noise } from '../testing/signals'
import { straightMap } from '../timeline/timeMap'
import { measureTask } from './measure'

const RATE = 48_000

const unlikeness = (source: AudioBlock, result: AudioBlock, stretch = 1) =>
  finish(
    measureTask({
      source,
      result,
      from: 0,
      map: straightMap(frameCount(source), stretch),
      pitchRatioAt: () => 1,
      formantRatioAt: () => 1,
    }),
  ).unlikenessDb

/** A low voice: partials of 60 Hz, all in step with one another or each with a phase of its own. */
function voice(phaseOf: (n: number) => number, seconds = 2): AudioBlock {
  const samples = Float32Array.from({ length: seconds * RATE }, (_, i) => {
    let sum = 0
    for (let n = 1; n <= 60; n++) sum += Math.cos((2 * Math.PI * 60 * n * i) / RATE + phaseOf(n)) / 60
    return 0.6 * sum * Math.min(1, i / 4800, (seconds * RATE - i) / 4800)
  })
  return { sampleRate: RATE, channels: [samples] }
}

describe('unlikeness', () => {
  it('is nothing between a sound and itself, little between two playings of one noise', () => {
    const rain = noise({ seconds: 2, seed: 3 })
    expect(unlikeness(rain, rain)).toBe(0)
    const other = unlikeness(rain, noise({ seconds: 2, seed: 4 }))
    expect(other).toBeGreaterThan(0.1)
    expect(other).toBeLessThan(6)
  })

  it('asks whether a low voice still comes in pulses, not when each of them comes', () => {
    const pulses = voice(() => 0)
    const later = voice((n) => n * 2.1)
    const random = createRandom(5)
    const phases = Array.from({ length: 61 }, () => 6.28 * random())
    const spread = voice((n) => phases[n] as number)
    // short windows cut a handful of pulses a little differently each time
    const moved = unlikeness(pulses, later)
    expect(moved).toBeLessThan(1.2)
    expect(unlikeness(pulses, spread)).toBeGreaterThan(2.5 * moved)
  })

  it('knows that what is struck dies away by itself, however far apart the strokes come to lie', () => {
    const item = idealItems.find(({ id }) => id === 'castanets')
    if (!item) throw new Error('no castanets')
    const source = item.play(AS_WRITTEN).audio
    for (const stretch of [0.8, 4]) {
      const ideal = item.play({ ...AS_WRITTEN, stretch }).audio
      const right = unlikeness(source, ideal, stretch)
      expect(right).toBeLessThan(0.6)
      // every stroke with a second one 14 ms behind it
      const twice: AudioBlock = {
        sampleRate: RATE,
        channels: ideal.channels.map((channel) =>
          channel.map((value, i) => 0.7 * value + 0.7 * (channel[i - Math.round(0.014 * RATE)] ?? 0)),
        ),
      }
      expect(unlikeness(source, twice, stretch)).toBeGreaterThan(2 * right + 0.3)
    }
  })

  it('knows that a call is drawn out, and not left as short as it was', () => {
    for (const number of [1, 2]) {
      const item = drawnItem('chirp', number)
      const played = item.play(AS_WRITTEN)
      const source = played.audio
      const ideal = item.play({ ...AS_WRITTEN, stretch: 2 })
      const right = unlikeness(source, ideal.audio, 2)
      // every call where the ideal has it, as it was
      const short: AudioBlock = {
        sampleRate: RATE,
        channels: ideal.audio.channels.map((channel, c) => {
          const out = new Float32Array(channel.length)
          played.attacks.forEach((at, n) => {
            const next = played.attacks[n + 1] ?? frameCount(source) / RATE
            const call = (source.channels[c] as Float32Array).subarray(Math.round(at * RATE), Math.round(next * RATE))
            out.set(call, Math.round((ideal.attacks[n] as number) * RATE))
          })
          return out
        }),
      }
      expect(unlikeness(source, short, 2)).toBeGreaterThan(2 * right)
    }
  })

  it('tells what goes on between strokes that were drawn apart, where the source has no such gap', () => {
    const item = drawnItem('beat', 3)
    const source = item.play(AS_WRITTEN).audio
    const ideal = item.play({ ...AS_WRITTEN, stretch: 4 }).audio
    const right = unlikeness(source, ideal, 4)
    const random = createRandom(9)
    // as loud as the source is on average, all the way through: as loud as what the map has there
    const filled: AudioBlock = {
      sampleRate: RATE,
      channels: ideal.channels.map((channel) => channel.map((value) => value + 0.02 * (random() - 0.5))),
    }
    expect(unlikeness(source, filled, 4)).toBeGreaterThan(3 * right + 1)
  })

  it('lets what moves move more slowly: a sweep has to be drawn out like all else', () => {
    const item = drawnItem('chirp', 1)
    const source = item.play(AS_WRITTEN).audio
    for (const stretch of [2, 4]) {
      const ideal = item.play({ ...AS_WRITTEN, stretch }).audio
      // every tenth of a second of it twice over, or four times: the sweeps are as steep as they were
      const length = 4800
      const steep: AudioBlock = {
        sampleRate: RATE,
        channels: source.channels.map((channel) =>
          Float32Array.from(
            { length: frameCount(ideal) },
            (_, i) => channel[Math.floor(i / (stretch * length)) * length + (i % length)] ?? 0,
          ),
        ),
      }
      const right = unlikeness(source, ideal, stretch)
      expect(unlikeness(source, steep, stretch)).toBeGreaterThan(1.5 * right)
    }
  })

  it('lets a note that is ended on its way end where the map has it', () => {
    /** Plucked notes, each damped after two thirds of the time to the next. */
    const notes = (stretch: number): AudioBlock => {
      const every = 0.3 * stretch
      const samples = Float32Array.from({ length: Math.round(8 * every * RATE) }, (_, i) => {
        const t = (i / RATE) % every
        let sum = 0
        for (let n = 1; n <= 20; n++)
          sum += (Math.sin(2 * Math.PI * 220 * n * t) / n) * Math.exp(-t * (n < 4 ? 3 : 8)) * Math.min(1, t / 0.002)
        return 0.3 * sum * Math.max(0, Math.min(1, (0.67 * every - t) / 0.005))
      })
      return { sampleRate: RATE, channels: [samples] }
    }
    expect(unlikeness(notes(1), notes(0.8), 0.8)).toBeLessThan(1.05)
    expect(unlikeness(notes(1), notes(1.25), 1.25)).toBeLessThan(1.05)
  })

  it('tells what goes on under strokes that leave no long window free', () => {
    const gap = 0.12
    /** Clicks, and under them three held notes: broken, they begin anew in the middle between two clicks. */
    const sounding = (stretch: number, isBroken: boolean): AudioBlock => {
      const random = createRandom(7)
      const every = Math.round(gap * stretch * RATE)
      const turns = Array.from({ length: 99 }, () => (isBroken ? 6.28 * random() : 0))
      const samples = Float32Array.from({ length: 24 * every }, (_, i) => {
        const since = (i % every) / RATE
        const turn = turns[Math.round(i / every)] as number
        const chord = [262, 330, 392].reduce((sum, hz) => sum + Math.sin((2 * Math.PI * hz * i) / RATE + turn), 0)
        return 0.12 * chord + 0.5 * Math.exp(-400 * since) * Math.sin(2 * Math.PI * 3100 * since)
      })
      return { sampleRate: RATE, channels: [samples] }
    }
    for (const stretch of [0.8, 1.25]) {
      const source = sounding(1, false)
      const right = unlikeness(source, sounding(stretch, false), stretch)
      expect(right).toBeLessThan(1)
      expect(unlikeness(source, sounding(stretch, true), stretch)).toBeGreaterThan(right + 2)
    }
  })
})

it('silence that strokes leave behind when they are drawn apart is no change of level', () => {
  const length = 0.5 * RATE
  const strokes = (gap: number): AudioBlock => ({
    sampleRate: RATE,
    channels: [
      Float32Array.from({ length: 5 * gap }, (_, i) => {
        const t = (i % gap) / RATE
        return t < 0.2 ? 0.5 * Math.exp(-30 * t) * Math.sin(2 * Math.PI * 700 * t) : 0
      }),
    ],
  })
  const source = strokes(length)
  const level = (result: AudioBlock) =>
    finish(
      measureTask({
        source,
        result,
        from: 0,
        map: straightMap(frameCount(source), 3),
        pitchRatioAt: () => 1,
        formantRatioAt: () => 1,
      }),
    ).artefacts.find(({ id }) => id === 'level')?.value
  const apart = strokes(3 * length)
  expect(level(apart)).toBeLessThan(0.3)
  const softer = { ...apart, channels: apart.channels.map((channel) => channel.map((value) => 0.7 * value)) }
  expect(level(softer)).toBeGreaterThan(2)
})
