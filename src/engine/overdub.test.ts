import { describe, expect, it } from 'vitest'
import { frameCount } from '../core'
import { noise, sine } from '../core/testing/signals'
import { auditionRecipe, openAudition } from './audition'
import { createMetronome, crossings } from './metronome'
import { createOverdub } from './overdub'
import { createRingMemory, fillOf, MARK_FRAMES, openRing, playBlock, Slot } from './ring'
import { soundInMemory } from './sound'
import { createRoom } from './strands'

const RATE = 48_000
const tone = (seconds = 0.5, sampleRate = RATE) => sine({ hz: 1000, seconds, sampleRate })
const order = (seconds = 0.5, sampleRate = RATE) => ({
  sound: soundInMemory(tone(seconds, sampleRate)),
  stretch: 1,
  methodId: 'splice',
  analysis: {},
  gain: 1,
})

/** A ring whose first layer is a constant, written `ahead` blocks ahead of what has been played. */
function playing(ahead: number) {
  const ring = openRing(createRingMemory())
  ring.control[Slot.running] = 1
  const overdub = createOverdub(ring, RATE)
  const main = new Float32Array(MARK_FRAMES).fill(0.25)
  const heard: number[] = []
  let mark = 0
  const left = new Float32Array(MARK_FRAMES)
  const right = new Float32Array(MARK_FRAMES)
  const write = () => {
    while (fillOf(ring) < ahead * MARK_FRAMES) {
      overdub.write(main, main, mark, mark + MARK_FRAMES)
      mark += MARK_FRAMES
    }
  }
  write()
  return {
    ring,
    overdub,
    heard,
    play(blocks: number) {
      for (let n = 0; n < blocks; n++) {
        playBlock(ring, left, right)
        heard.push(...left)
        write()
      }
    },
  }
}

describe('a change of what plays', () => {
  it('that comes after the output has taken its start is told of, and later ones are given more room', () => {
    let late = 0
    const ring = openRing(createRingMemory())
    ring.control[Slot.running] = 1
    const { strands, write } = createOverdub(
      ring,
      RATE,
      createRoom(() => late++),
    )
    const silent = new Float32Array(MARK_FRAMES)
    const out = [new Float32Array(MARK_FRAMES), new Float32Array(MARK_FRAMES)] as const
    while (fillOf(ring) < 100 * MARK_FRAMES) write(silent, silent, -1, -1)
    const room = () => strands.nearest() - strands.taken()
    const usual = room()
    strands.rewrite(strands.nearest())
    expect([late, room()]).toEqual([0, usual])
    for (let n = 0; n < 9; n++) {
      const from = strands.nearest()
      // an output that takes more at once than was left before it
      while (strands.taken() <= from) playBlock(ring, ...out)
      strands.rewrite(from)
      while (fillOf(ring) < 100 * MARK_FRAMES) write(silent, silent, -1, -1)
    }
    expect(late).toBe(9)
    expect(room()).toBeGreaterThan(2 * usual)
    expect(room()).toBeLessThanOrEqual(20 * MARK_FRAMES)
  })
})

describe('an audition over what plays', () => {
  it('is heard within 30 ms, also over what was written long before, and lies on it sample for sample', () => {
    const { overdub, heard, play } = playing(36)
    play(5)
    overdub.audition({ order: order(), at: undefined })
    play(300)
    const begins = heard.findIndex((value, i) => i >= 5 * MARK_FRAMES && value !== 0.25) - 1
    expect(begins / RATE - (5 * MARK_FRAMES) / RATE).toBeLessThan(0.03)
    const plain = tone().channels[0] as Float32Array
    for (let i = 0; i < plain.length - 400; i++) {
      expect(heard[begins + i]).toBeCloseTo(0.25 + (plain[i] as number), 5)
    }
    // and then only what plays
    expect(heard.slice(begins + plain.length, begins + plain.length + 2000).every((v) => v === 0.25)).toBe(true)
  })

  it('waits for the next beat, and begins on its very frame', () => {
    const { overdub, heard, play } = playing(20)
    play(3)
    const beat = 100 * MARK_FRAMES + 77
    overdub.audition({ order: order(), at: Float64Array.from([0, beat, 2 * beat]) })
    expect(overdub.waits).toBe(true)
    play(200)
    expect(heard.findIndex((value) => value !== 0.25)).toBe(beat + 1)
    expect(overdub.waits).toBe(false)
  })

  it('gives way to the next one and to a stop without a jump', () => {
    const { overdub, heard, play } = playing(36)
    overdub.audition({ order: order(3), at: undefined })
    play(60)
    overdub.audition({ order: { ...order(3), sound: soundInMemory(sine({ hz: 500, seconds: 3 })) }, at: undefined })
    play(60)
    overdub.stop()
    play(120)
    for (let i = 1; i < heard.length; i++)
      expect(Math.abs((heard[i] as number) - (heard[i - 1] as number))).toBeLessThan(0.12)
    expect(heard.slice(-4000).every((value) => value === 0.25)).toBe(true)
    expect(overdub.sounds).toBe(false)
  })
})

describe('openAudition', () => {
  it('keeps pitch and length at an output of another rate', () => {
    const frames = RATE
    const audition = openAudition(order(1, 44_100), RATE)
    expect(audition.frames).toBe(frames)
    const left = new Float32Array(128)
    const right = new Float32Array(128)
    const all: number[] = []
    for (let at = 0; at + 128 <= frames; at += 128) {
      audition.read(at, left, right)
      all.push(...left)
    }
    const ideal = sine({ hz: 1000, seconds: 1 }).channels[0] as Float32Array
    for (let i = 2000; i < 40_000; i += 7) expect(all[i]).toBeCloseTo(ideal[i] as number, 3)
  })

  it('asks for nothing where nothing is to be changed, and for the stretch where it is fitted', () => {
    expect(auditionRecipe(order())).toBeUndefined()
    expect(auditionRecipe({ ...order(), stretch: 1.25 })).toMatchObject({
      methodId: 'splice',
      stretch: 1.25,
      pitchSemitones: 0,
    })
    const fitted = openAudition(
      { ...order(1), sound: soundInMemory(noise({ seconds: 1, seed: 1 })), stretch: 1.25, analysis: { attacks: [] } },
      RATE,
    )
    expect(fitted.frames).toBe(Math.round(1.25 * frameCount(tone(1))))
  })
})

describe('the click', () => {
  it('finds the moments in a block, at the speed it goes', () => {
    expect(crossings([0, 64, 100, 128, 500], 0, 128, 128)).toEqual([
      { index: 0, offset: 0 },
      { index: 1, offset: 64 },
      { index: 2, offset: 100 },
    ])
    expect(crossings([70], 0, 256, 128)).toEqual([{ index: 0, offset: 35 }])
    expect(crossings([70], 60, 60, 128)).toEqual([])
    expect(crossings([70], 100, 20, 128)).toEqual([])
  })

  it('sounds at its frame, over block ends, and only there', () => {
    const metronome = createMetronome(RATE)
    const track = { frames: Float64Array.from([100, 5000]), kinds: Uint8Array.from([1, 0]), gain: 1 }
    const all: number[] = []
    for (let at = 0; at < 9000; at += 128) {
      const left = new Float32Array(128)
      metronome.addTo(track, left, new Float32Array(128), at, at + 128)
      all.push(...left)
    }
    const loud = (from: number, to: number) => all.slice(from, to).some((value) => value !== 0)
    expect(loud(0, 101)).toBe(false)
    expect(loud(101, 110)).toBe(true)
    expect(loud(100 + 0.031 * RATE, 5000)).toBe(false)
    expect(loud(5001, 5010)).toBe(true)
  })
})

describe('a lane that is switched under a sounding audition', () => {
  it('makes it step no more than straight reading does, by a method that carries state', () => {
    const sound = soundInMemory(sine({ hz: 220, seconds: 3 }))
    const stretched = { ...order(3), sound, stretch: 1.37, methodId: 'vocoder', analysis: { attacks: [] } }
    const straight = openAudition(stretched, RATE)
    const plain: number[] = []
    const left = new Float32Array(MARK_FRAMES)
    for (let n = 0; n < 300; n++) {
      straight.read(n * MARK_FRAMES, left, new Float32Array(MARK_FRAMES))
      plain.push(...left)
    }
    const largest = (samples: readonly number[]) =>
      samples.reduce(
        (most, value, i) => (i === 0 ? 0 : Math.max(most, Math.abs(value - (samples[i - 1] as number)))),
        0,
      )
    const { overdub, heard, play } = playing(36)
    overdub.audition({ order: stretched, at: undefined })
    for (let n = 0; n < 12; n++) {
      play(20)
      const { frames } = overdub.changeable()
      // the lane that takes over is the same constant: what steps is the audition
      overdub.replace(frames, 480, (a, b) => {
        a.fill(0.25)
        b.fill(0.25)
        return n
      })
    }
    expect(largest(heard)).toBeLessThanOrEqual(largest(plain) + 1e-6)
  })
})

describe('the click over a lane that is switched', () => {
  it('goes on to the sample where the beats stay where they are', () => {
    const track = {
      frames: Float64Array.from({ length: 40 }, (_, n) => 1000 + 3000 * n),
      kinds: new Uint8Array(40),
      gain: 1,
    }
    const heardOf = (switches: boolean) => {
      const { overdub, heard, play } = playing(36)
      overdub.setClick(track)
      for (let n = 0; n < 30; n++) {
        play(11)
        if (!switches) continue
        const { frames, sourceFrame } = overdub.changeable()
        let mark = sourceFrame - MARK_FRAMES
        overdub.replace(
          frames,
          480,
          (a, b) => {
            a.fill(0.25)
            b.fill(0.25)
            mark += MARK_FRAMES
            return mark
          },
          () => mark + MARK_FRAMES,
        )
      }
      return heard
    }
    const plain = heardOf(false)
    expect(plain.some((value) => value > 0.3)).toBe(true)
    heardOf(true).forEach((value, i) => {
      // what was written before the click was asked for has none
      if (i > 10_000) expect(value).toBeCloseTo(plain[i] as number, 5)
    })
  })
})

describe('what takes the place of what plays', () => {
  it('is heard within 15 ms over what was written long before, fades over from it, and says where it is', () => {
    const { ring, overdub, heard, play } = playing(36)
    play(5)
    const { frames, sourceFrame } = overdub.changeable()
    expect(frames % MARK_FRAMES).toBe(0)
    // what plays says its place by frames written
    expect(sourceFrame).toBe(41 * MARK_FRAMES - frames)
    let mark = 500_000
    overdub.replace(frames, 480, (left, right) => {
      left.fill(0.75)
      right.fill(0.75)
      mark += MARK_FRAMES
      return mark
    })
    play(34)
    const begins = heard.findIndex((value) => value !== 0.25)
    expect(begins / RATE - (5 * MARK_FRAMES) / RATE).toBeLessThan(0.015)
    for (let i = 0; i < 478; i++) {
      const step = (heard[begins + i + 1] as number) - (heard[begins + i] as number)
      expect(step).toBeGreaterThan(0)
      expect(step).toBeLessThan(0.0015)
    }
    // as far as was written; then what is written next
    expect(heard.slice(begins + 480, 34 * MARK_FRAMES).every((value) => value === 0.75)).toBe(true)
    expect([...ring.marks].filter((value) => value > 500_000)).toHaveLength(frames / MARK_FRAMES)
  })

  it('is laid behind what has been read while it was made, and leaves an audition over it', () => {
    const { ring, overdub, heard, play } = playing(36)
    play(5)
    overdub.audition({ order: order(), at: undefined })
    const { frames } = overdub.changeable()
    let made = 0
    overdub.replace(frames, 480, (left, right) => {
      left.fill(0.75)
      right.fill(0.75)
      // slow to make: the output reads on
      if (made++ < 12) playBlock(ring, new Float32Array(MARK_FRAMES), new Float32Array(MARK_FRAMES))
      return made
    })
    play(60)
    const before = heard.length
    expect(before).toBe(65 * MARK_FRAMES)
    let most = 0
    for (let i = 1; i < 12 * MARK_FRAMES; i++)
      most = Math.max(
        most,
        Math.abs((heard[5 * MARK_FRAMES + i] as number) - (heard[5 * MARK_FRAMES + i - 1] as number)),
      )
    // no step but the audition's own sine
    expect(most).toBeLessThan(0.1)
  })
})
