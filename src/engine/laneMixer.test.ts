import { beforeEach, describe, expect, it } from 'vitest'
import { type AudioBlock, asSource, inBlocks, planOf, renderBlock } from '../core'
import { downmixInto } from '../core/audio/downmix'
import { byParts } from '../core/testing/byParts'
import { recipe } from '../core/testing/recipes'
import { chord, noise, sine } from '../core/testing/signals'
import { fitTone, rms } from '../core/testing/tone'
import { createLaneMixer, type LaneMixer, type Program } from './laneMixer'

const source = chord({ hz: [220, 331.2, 517.9], seconds: 1.5 })
const frames = 72_000
const program = (change: Partial<Program> = {}): Program => ({
  lanes: [
    { recipe: undefined, gain: 1 },
    { recipe: recipe('wsola', { stretch: 1.4 }), gain: 1 },
    { recipe: recipe('vocoder', { stretch: 1.4 }), gain: 1 },
    { recipe: recipe('varispeed', { stretch: 1.4 }), gain: 1 },
  ],
  active: 0,
  loop: undefined,
  ...change,
})

function play(
  mixer: LaneMixer,
  count: number,
  block = 128,
): { left: Float32Array; right: Float32Array; marks: number[] } {
  const left = new Float32Array(count)
  const right = new Float32Array(count)
  const marks: number[] = []
  for (let at = 0; at < count; at += block) {
    const end = Math.min(count, at + block)
    marks.push(mixer.read(left.subarray(at, end), right.subarray(at, end)))
  }
  return { left, right, marks }
}

function largestStep(samples: Float32Array): number {
  let most = 0
  for (let i = 1; i < samples.length; i++)
    most = Math.max(most, Math.abs((samples[i] as number) - (samples[i - 1] as number)))
  return most
}

describe('the lane mixer', () => {
  it.each([0, 1, 2, 3])('plays lane %d from its start exactly as it is exported', (active) => {
    const mixer = createLaneMixer(source, program({ active }), 0)
    const { left, right } = play(mixer, 60_000)
    const lane = program().lanes[active]?.recipe
    const whole = lane ? renderBlock(source, lane) : source
    expect(left).toEqual(whole.channels[0]?.subarray(0, 60_000))
    expect(right).toEqual(whole.channels[1]?.subarray(0, 60_000))
  })

  it('goes on at the same place of the source when the lane changes, without a step or a gap', () => {
    const mixer = createLaneMixer(source, program({ active: 0 }), 0)
    const parts = [play(mixer, 12_800)]
    for (const active of [1, 0, 2, 3, 0, 2, 1]) {
      const before = mixer.sourceFrame()
      mixer.setProgram(program({ active }))
      expect(Math.abs(mixer.sourceFrame() - before)).toBeLessThan(2)
      parts.push(play(mixer, 5120))
    }
    const heard = Float32Array.from(parts.flatMap((part) => [...part.left]))
    // the steepest the source itself gets, with room for two voices in unlike phase
    expect(largestStep(heard)).toBeLessThan(1.5 * largestStep(source.channels[0] as Float32Array))
    for (let at = 0; at + 960 < heard.length; at += 240) expect(rms(heard.subarray(at, at + 960))).toBeGreaterThan(0.02)
  })

  it('hears a change of pitch at once, and of the program it had nothing else', () => {
    const tone = sine({ hz: 400, seconds: 2 })
    const at = (pitchSemitones: number): Program => ({
      lanes: [{ recipe: recipe('vocoder', { stretch: 1.2, pitchSemitones }), gain: 1 }],
      active: 0,
      loop: undefined,
    })
    const mixer = createLaneMixer(tone, at(0), 0)
    play(mixer, 24_000)
    mixer.setProgram(at(5))
    const { left } = play(mixer, 24_000)
    const after = left.subarray(600, 12_600)
    expect(fitTone(after, 48_000, 400 * 2 ** (5 / 12)).hz).toBeCloseTo(400 * 2 ** (5 / 12), 0)
    expect(fitTone(after, 48_000, 400 * 2 ** (5 / 12)).residualDb).toBeLessThan(-35)
  })

  it('lets one lane take over from another for as long as is wished', () => {
    const tone = sine({ hz: 400, seconds: 3 })
    const lanes = [0, 5].map((pitchSemitones) => ({ recipe: recipe('vocoder', { pitchSemitones }), gain: 1 }))
    const to = 400 * 2 ** (5 / 12)
    const alone = (switchSeconds: number, from: number) => {
      const mixer = createLaneMixer(tone, { lanes, active: 0, loop: undefined }, 0)
      play(mixer, 48_000)
      mixer.setProgram({ lanes, active: 1, loop: undefined, switchSeconds })
      const { left } = play(mixer, 24_000)
      return fitTone(left.subarray(from, from + 4800), 48_000, to).residualDb
    }
    // after 50 to 150 ms a short fade is over, a long one is under way
    expect(alone(0.012, 2400)).toBeLessThan(-30)
    expect(alone(0.3, 2400)).toBeGreaterThan(-12)
    expect(alone(0.3, 16_000)).toBeLessThan(-30)
  })

  it('loops between the ends it is given, and the second round is the first again', () => {
    const loop = { start: 9600, end: 28_800 }
    const mixer = createLaneMixer(source, program({ active: 0, loop }), 9600)
    const { left, marks } = play(mixer, 3 * 19_200)
    for (let i = 200; i < 19_000; i++) {
      expect(left[19_200 + i]).toBeCloseTo(left[i] as number, 5)
      expect(left[38_400 + i]).toBeCloseTo(left[i] as number, 5)
    }
    expect(Math.max(...marks)).toBeLessThan(loop.end + 1)
    expect(largestStep(left.subarray(200))).toBeLessThan(1.5 * largestStep(source.channels[0] as Float32Array))
  })

  it('loops a stretched lane over the mapped length of the same place', () => {
    const { map } = planOf(recipe('varispeed', { stretch: 1.4 }), { frames, sampleRate: 48_000 })
    const loop = { start: 9600, end: 19_200 }
    const length = Math.round(map.outputAt(asSource(loop.end))) - Math.round(map.outputAt(asSource(loop.start)))
    const { left } = play(createLaneMixer(source, program({ active: 3, loop }), 9600), 3 * length)
    for (let i = 200; i < length - 200; i += 7) expect(left[2 * length + i]).toBeCloseTo(left[length + i] as number, 4)
  })

  it('comes to its end without a loop, and is silent from there on', () => {
    const mixer = createLaneMixer(source, program(), frames - 1000)
    const { left } = play(mixer, 2000)
    expect(mixer.ended).toBe(true)
    expect(rms(left.subarray(0, 900))).toBeGreaterThan(0.01)
    expect(rms(left.subarray(1000))).toBe(0)
  })

  it('moves to a new gain gradually and to a new place under a cross-fade', () => {
    const mixer = createLaneMixer(source, program(), 20_000)
    play(mixer, 1280)
    const quiet = program({ lanes: program().lanes.map((lane) => ({ ...lane, gain: 0.25 })) })
    mixer.setProgram(quiet)
    const { left } = play(mixer, 4800)
    expect(largestStep(left)).toBeLessThan(1.2 * largestStep(source.channels[0] as Float32Array))
    expect(rms(left.subarray(2400)) / rms((source.channels[0] as Float32Array).subarray(24_000, 26_400))).toBeCloseTo(
      0.25,
      1,
    )
    mixer.seek(50_000)
    expect(mixer.sourceFrame()).toBe(50_000)
    expect(largestStep(play(mixer, 2400).left)).toBeLessThan(largestStep(source.channels[0] as Float32Array))
  })

  it('bears changes faster than its fades without gap or jump', () => {
    const mixer = createLaneMixer(source, program(), 0)
    play(mixer, 1280)
    const heard: number[] = []
    for (let n = 0; n < 60; n++) {
      mixer.setProgram(program({ active: n % 4 }))
      heard.push(...play(mixer, 128).left)
    }
    expect(largestStep(Float32Array.from(heard))).toBeLessThan(2 * largestStep(source.channels[0] as Float32Array))
    expect(rms(Float32Array.from(heard))).toBeGreaterThan(0.03)
  })
})

describe('downmixInto', () => {
  it('passes one and two channels bit for bit and cannot overload with more', () => {
    const one = Float32Array.of(0.3, -1)
    const two = Float32Array.of(0.1, 1)
    const left = new Float32Array(2)
    const right = new Float32Array(2)
    downmixInto(left, right, [one])
    expect([left, right]).toEqual([one, one])
    downmixInto(left, right, [one, two])
    expect([left, right]).toEqual([one, two])
    for (let count = 3; count <= 8; count++) {
      downmixInto(
        left,
        right,
        Array.from({ length: count }, () => Float32Array.of(1, 1)),
      )
      expect(Math.max(...left, ...right)).toBeLessThanOrEqual(1.0001)
      expect(Math.min(...left, ...right)).toBeGreaterThan(0.3)
    }
  })
})

describe('a sound that is read from its file', () => {
  const RATE = 4000
  const long = noise({ seconds: 120, seed: 5, sampleRate: RATE, channels: 2 })
  const known = { attacks: Array.from({ length: 40 }, (_, n) => ({ frame: 3 * n * RATE + 100, strength: 0.5 })) }
  const lanes = [
    { recipe: recipe('drift', { stretch: 0.8 }), gain: 1 },
    { recipe: recipe('grain', { stretch: 0.8 }), gain: 1 },
  ]
  /** Plays as a player does, which works ahead in spare time; tells the most that was asked of the file while it had to play on. */
  function playing(loop?: { start: number; end: number }) {
    const file = { ...byParts(long), slow: true }
    const mixer = createLaneMixer(file, { lanes, active: 0, loop }, 0, known)
    let most = 0
    return {
      mixer,
      most: () => most,
      go(seconds: number) {
        const left: Float32Array[] = []
        for (let n = 0; n < (seconds * RATE) / 128; n++) {
          file.asked.length = 0
          left.push(play(mixer, 128).left)
          for (const { from, to } of file.asked) if (n > 0) most = Math.max(most, to - from)
          for (let step = 0; step < 4 && mixer.work(); step++);
        }
        return Float32Array.from(left.flatMap((part) => [...part]))
      },
    }
  }

  it('has its next piece read before it comes, and sounds as it does in memory', () => {
    const { go, most } = playing()
    const heard = go(80)
    expect(most()).toBeLessThan(RATE)
    expect(heard).toEqual(
      play(createLaneMixer(long, { lanes, active: 0, loop: undefined }, 0, known), heard.length).left,
    )
  })

  it('is read once where all of it makes one short piece, whatever is changed then', () => {
    const file = { ...byParts(long), slow: true }
    const short = (change: object) => [{ recipe: recipe('drift', { stretch: 0.25, ...change }), gain: 1 }]
    const program = (change: object) => ({ lanes: short(change), active: 0, loop: undefined })
    const mixer = createLaneMixer(file, program({}), 0, known)
    const heard = play(mixer, 20_000).left
    expect(heard).toEqual(play(createLaneMixer(long, program({}), 0, known), 20_000).left)
    file.asked.length = 0
    mixer.setProgram(program({ settings: { clarity: 20 } }))
    play(mixer, 20_000)
    expect(file.asked).toEqual([])
  })

  it('is read ahead where it is heard as it is', () => {
    const file = byParts(long)
    const source = { ...inBlocks(file), slow: true }
    const reference = { lanes: [{ recipe: undefined, gain: 1 }], active: 0, loop: undefined }
    const mixer = createLaneMixer(source, reference, 0, known)
    const heard: number[] = []
    for (let n = 0; n < 2000; n++) {
      const before = file.asked.length
      heard.push(...play(mixer, 128).left)
      if (n > 0) expect(file.asked.length).toBe(before)
      for (let step = 0; step < 2 && mixer.work(); step++);
    }
    expect(Float32Array.from(heard)).toEqual(long.channels[0]?.subarray(0, 2000 * 128))
    // each block once
    expect(file.asked.length).toBeLessThan((2000 * 128) / 2 ** 15 + 3)
  })

  it('has the start of a loop read before the loop comes back to it', () => {
    const { go, most, mixer } = playing({ start: 10 * RATE, end: 75 * RATE })
    go(75)
    expect(most()).toBeLessThan(RATE)
    expect(mixer.sourceFrame()).toBeLessThan(40 * RATE)
  })

  it('lets a lane take over when its piece has been read', () => {
    const { go, most, mixer } = playing()
    go(40)
    mixer.seek(100 * RATE)
    expect(mixer.waits).toBe(true)
    go(4)
    expect(mixer.sourceFrame()).toBeGreaterThan(100 * RATE)
    mixer.setProgram({ lanes, active: 1, loop: undefined })
    go(4)
    expect(most()).toBeLessThan(RATE)
  })
})

describe('a lane that takes long to begin', () => {
  const lanes = [
    { recipe: undefined, gain: 1 },
    { recipe: recipe('layered', { stretch: 1.2 }), gain: 0.5 },
    { recipe: recipe('wsola', { stretch: 1.2 }), gain: 1 },
    { recipe: recipe('layered', { stretch: 1.2, settings: { noiseDb: -60 } }), gain: 0.5 },
  ]
  const known = { attacks: [{ frame: 24_000, strength: 1 }] }
  // what was prepared stays with its source: each test has one of its own
  let tone: AudioBlock
  beforeEach(() => {
    tone = chord({ hz: [220, 331.2], seconds: 3 })
  })
  const mixerOf = () => {
    const mixer = createLaneMixer(tone, { lanes, active: 0, loop: undefined }, 0, known)
    play(mixer, 30_000)
    return mixer
  }
  const work = (mixer: LaneMixer) => {
    let steps = 0
    while (mixer.work()) steps++
    return steps
  }

  it('takes over when it is ready; until then what is heard goes on as it is', () => {
    const mixer = mixerOf()
    mixer.setProgram({ lanes, active: 1, loop: undefined })
    const until = play(mixer, 9600).left
    expect(until).toEqual(tone.channels[0]?.subarray(30_000, 39_600))
    expect(work(mixer)).toBeGreaterThan(20)
    const place = mixer.sourceFrame()
    expect(Math.abs(place - 39_600)).toBeLessThan(3)
    const after = play(mixer, 9600).left
    expect(rms(after.subarray(2400))).toBeCloseTo(0.5 * rms(until), 1)
    expect(largestStep(after)).toBeLessThan(1.5 * largestStep(until))
    expect(work(mixer)).toBe(0)
  })

  it('can be laid over what was read last: it is asked for at the place that is heard, and goes on from there alone', () => {
    const STRETCH = 1.2
    const heardAt = 27_000
    const asked: (number | undefined)[] = []
    let laid: Float32Array | undefined
    const mixer: LaneMixer = createLaneMixer(tone, { lanes, active: 0, loop: undefined }, 0, known, {
      place: () => heardAt,
      lay(seekTo) {
        asked.push(seekTo)
        mixer.restartAt(seekTo ?? heardAt)
        laid = play(mixer, 3000).left
        return true
      },
    })
    play(mixer, 30_000)
    mixer.setProgram({ lanes, active: 1, loop: undefined })
    expect(asked).toEqual([])
    work(mixer)
    expect(asked).toEqual([undefined])
    expect(Math.abs(mixer.sourceFrame() - heardAt - 3000 / STRETCH)).toBeLessThan(3)
    const alone = createLaneMixer(tone, { lanes, active: 1, loop: undefined }, heardAt, known)
    // a start inside the sound fades in; what is laid over something else does not
    expect(laid?.subarray(200)).toEqual(play(alone, 3000).left.subarray(200))
    mixer.seek(12_000)
    work(mixer)
    expect(asked).toEqual([undefined, 12_000])
    expect(Math.abs(mixer.sourceFrame() - 12_000 - 3000 / STRETCH)).toBeLessThan(3)
  })

  it('takes over at once where one like it is heard: a setting, a mute', () => {
    const places: (number | undefined)[] = []
    const mixer: LaneMixer = createLaneMixer(tone, { lanes, active: 1, loop: undefined }, 9000, known, {
      place: () => 30_000,
      lay(seekTo) {
        places.push(seekTo)
        mixer.restartAt(seekTo ?? 30_000)
        return true
      },
    })
    play(mixer, 30_000)
    mixer.setProgram({ lanes, active: 3, loop: undefined })
    expect(mixer.waits).toBe(false)
    expect(places).toEqual([undefined])
    expect(mixer.sourceFrame()).toBe(30_000)
    // elsewhere there is all to do
    mixer.seek(120_000)
    expect(mixer.waits).toBe(true)
    expect(places).toEqual([undefined])
    expect(work(mixer)).toBeGreaterThan(5)
    expect(places).toEqual([undefined, 120_000])
  })

  it('comes behind what was read where it cannot be laid over it, at the place where that ends', () => {
    const mixer = createLaneMixer(tone, { lanes, active: 0, loop: undefined }, 0, known, {
      place: () => 27_000,
      lay: () => false,
    })
    play(mixer, 30_000)
    mixer.setProgram({ lanes, active: 1, loop: undefined })
    work(mixer)
    expect(Math.abs(mixer.sourceFrame() - 30_000)).toBeLessThan(3)
  })

  it('is let go when another is asked for before it is ready', () => {
    const mixer = mixerOf()
    mixer.setProgram({ lanes, active: 1, loop: undefined })
    mixer.work()
    mixer.setProgram({ lanes, active: 2, loop: undefined })
    expect(work(mixer)).toBe(0)
    const heard = play(mixer, 9600).left
    expect(rms(heard.subarray(2400))).toBeGreaterThan(
      0.8 * rms(tone.channels[0]?.subarray(30_000, 38_000) as Float32Array),
    )
  })

  it('lets what is heard go round its loop meanwhile, and has the start of the loop ready before it comes there', () => {
    const loop = { start: 12_000, end: 33_000 }
    const mixer = createLaneMixer(tone, { lanes, active: 0, loop }, 12_000, known)
    play(mixer, 15_000)
    mixer.setProgram({ lanes, active: 1, loop })
    const round = play(mixer, 12_000)
    expect(round.left.subarray(8000)).toEqual(tone.channels[0]?.subarray(14_000, 18_000))
    work(mixer)
    const heard = play(mixer, 60_000)
    for (const mark of heard.marks) expect(mark).toBeLessThan(33_001)
    for (let at = 0; at + 960 < 60_000; at += 480) expect(rms(heard.left.subarray(at, at + 960))).toBeGreaterThan(0.01)
  })

  it('seeks in the same way: the old place is heard until the new one is ready', () => {
    const mixer = createLaneMixer(tone, { lanes, active: 1, loop: undefined }, 0, known)
    play(mixer, 9600)
    mixer.seek(100_000)
    const here = mixer.sourceFrame()
    play(mixer, 960)
    expect(mixer.sourceFrame()).toBeGreaterThan(here)
    expect(mixer.sourceFrame()).toBeLessThan(20_000)
    work(mixer)
    expect(Math.abs(mixer.sourceFrame() - 100_000)).toBeLessThan(5)
  })
})
