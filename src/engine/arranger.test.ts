import { describe, expect, it } from 'vitest'
import {
  type Arrangement,
  type AudioBlock,
  analyse,
  layMix,
  type MixPart,
  mixVoice,
  openPart,
  openTempo,
  silence,
  soundSource,
} from '../core'
import { makeLoop } from '../core/testing/loops'
import { chord } from '../core/testing/signals'
import { type Arranger, createArranger, type MixSounds } from './arranger'
import { createOverdub } from './overdub'
import { createRingMemory, fillOf, MARK_FRAMES, markHeard, openRing, playBlock, Slot } from './ring'

const RATE = 48_000
const loop: AudioBlock = makeLoop({ bpm: 97, bars: 2, style: 'fourFloor', seed: 4 }).audio
const pad = chord({ hz: [220, 277.2, 331.2], seconds: 12 })
const blocks: Record<string, AudioBlock> = { loop, pad }
const sounds: MixSounds = {
  sound: (id) => (blocks[id] ? soundSource(blocks[id]) : undefined),
  known: (id) => analyse(blocks[id] as AudioBlock, ['attacks', 'pitch']),
}

const part = (id: string, source: string, methodId: string, change: Partial<MixPart> = {}): MixPart => ({
  id,
  row: 0,
  source,
  recipe: { version: 1, stretch: 1.1, pitchSemitones: 0, formants: 'move', methodId, settings: {}, seed: 1 },
  lock: source === 'loop' ? 'bars' : 'seconds',
  startBeat: 0,
  offset: 0,
  feel: 1,
  repeat: source === 'loop',
  gainDb: -9,
  fadeIn: 0,
  fadeOut: 0,
  own: source === 'loop' ? { bpm: 97, firstBeat: 0 } : undefined,
  ...change,
})
const row = { gainDb: 0, muted: false, solo: false }
const arrangement = (change: Partial<Arrangement> = {}): Arrangement => ({
  tempoLine: [{ beat: 0, bpm: 110 }],
  metre: [],
  rows: [row, row],
  parts: [
    part('a', 'loop', 'splice', { beats: 32 }),
    part('b', 'pad', 'vocoder', { row: 1, startBeat: 1.5 }),
    part('c', 'loop', 'wsola', { startBeat: 4, beats: 12, row: 1 }),
  ],
  ...change,
})

/** A player as the worker drives one: so much is written ahead, and the rest of the time is spare. */
function playing(
  first: Arrangement,
  options: Partial<Parameters<typeof createArranger>[4]> = {},
  ahead = 36,
  own: MixSounds = sounds,
) {
  const ring = openRing(createRingMemory())
  ring.control[Slot.running] = 1
  const overdub = createOverdub(ring, RATE)
  const arranger: Arranger = createArranger(overdub, RATE, own, first, {
    beat: 0,
    click: { level: 1, on: false },
    ...options,
  })
  const heard: number[] = []
  const marks: number[] = []
  const left = new Float32Array(MARK_FRAMES)
  const right = new Float32Array(MARK_FRAMES)
  return {
    arranger,
    heard,
    /** the beat that each block says it begins at */
    marks,
    overdub,
    play(count: number, spare = 40) {
      for (let n = 0; n < count; n++) {
        while (fillOf(ring) < ahead * MARK_FRAMES) arranger.block()
        for (let more = spare; more > 0 && arranger.work(); more--);
        marks.push(markHeard(ring) ?? -1)
        playBlock(ring, left, right)
        heard.push(...left)
      }
    },
  }
}

function mixed(from: Arrangement, frames: number): Float32Array {
  const mix = layMix(from, sounds.sound, RATE)
  const voice = mixVoice(mix, (laid) =>
    openPart(laid, blocks[laid.part.source] as AudioBlock, sounds.known(laid.part.source), RATE),
  )
  const out = silence(2, frames)
  voice.read(0, out)
  return out[0] as Float32Array
}

const steepest = (samples: ArrayLike<number>, from = 1, to = samples.length) => {
  let most = 0
  for (let i = from; i < to; i++) most = Math.max(most, Math.abs((samples[i] as number) - (samples[i - 1] as number)))
  return most
}

describe('a playing arrangement', () => {
  it('is, sample for sample, the mix that is exported', () => {
    const { heard, play } = playing(arrangement())
    play(1200)
    const plain = mixed(arrangement(), 1200 * MARK_FRAMES)
    expect(heard.findIndex((value, i) => value !== plain[i])).toBe(-1)
  })

  it('says the beat that it is at', () => {
    const { marks, play } = playing(arrangement(), { beat: 3 })
    play(100)
    expect(marks[0]).toBeCloseTo(3, 4)
    expect(marks[99]).toBeCloseTo(3 + ((99 * MARK_FRAMES) / RATE) * (110 / 60), 4)
  })

  it('goes on from the beat that sounds when the tempo turns, soon, without a step', () => {
    const { arranger, heard, marks, play } = playing(arrangement())
    const tempi = [118, 104, 131, 110, 96]
    play(400)
    // as steep as straight reading gets at any of these tempi
    const before = Math.max(
      ...tempi.map((bpm) => steepest(mixed(arrangement({ tempoLine: [{ beat: 0, bpm }] }), 1200 * MARK_FRAMES))),
    )
    for (const bpm of tempi) {
      const at = marks.length
      arranger.setArrangement(arrangement({ tempoLine: [{ beat: 0, bpm }] }))
      play(150)
      const speeds = marks.slice(1).map((mark, n) => ((mark - (marks[n] as number)) * RATE * 60) / MARK_FRAMES)
      // beats go on without a jump, and at the new tempo within 150 ms
      for (const speed of speeds.slice(at - 1)) expect(Math.abs(speed - 110)).toBeLessThan(60)
      const turned = speeds.findIndex((speed, n) => n >= at && Math.abs(speed - bpm) < 0.01)
      expect(((turned - at) * MARK_FRAMES) / RATE).toBeLessThan(0.15)
    }
    expect(steepest(heard)).toBeLessThan(1.05 * before)
  })

  it('reads a long sound from its file ahead: nothing waits for the file, and what needs more of it comes when it is there', () => {
    const long: AudioBlock = {
      sampleRate: RATE,
      channels: loop.channels.map((own) =>
        Float32Array.from({ length: 70 * RATE }, (_, i) => own[i % own.length] ?? 0),
      ),
    }
    const held = soundSource(long)
    const known = analyse(long, ['attacks', 'pitch'])
    let isThere = true
    let late = 0
    const filed = {
      ...held,
      slow: true,
      ahead: (from: number, to: number) => Math.max(0, (isThere ? to : Math.min(to, 40 * RATE)) - from),
      part(from: number, to: number) {
        if (!isThere && to > 40 * RATE) late++
        return held.part(from, to)
      },
    }
    const stem = { ...part('s', 'long', 'splice', { own: { bpm: 97, firstBeat: 0 }, lock: 'bars', repeat: false }) }
    const asItIs = part('t', 'long', 'varispeed', {
      recipe: { ...stem.recipe, stretch: 1 },
      startBeat: 0,
      row: 1,
      own: undefined,
    })
    const of = (bpm: number) => arrangement({ tempoLine: [{ beat: 0, bpm }], parts: [stem, asItIs] })
    const heardOf = (source: typeof held) => {
      const player = playing(of(110), {}, 36, { sound: () => source, known: () => known })
      player.play(60)
      isThere = source === held
      player.arranger.goTo(100)
      player.play(60)
      const before = player.marks.at(-1) as number
      isThere = true
      player.play(60)
      return { ...player, before }
    }
    const straight = heardOf(held)
    const ahead = heardOf(filed)
    expect(late).toBe(0)
    // it plays on where it was until what it needs is there
    expect(ahead.before).toBeLessThan(10)
    expect(straight.before).toBeGreaterThan(99)
    expect(ahead.marks.at(-1)).toBeGreaterThan(99)
    expect(ahead.heard.slice(0, 60 * MARK_FRAMES)).toEqual(straight.heard.slice(0, 60 * MARK_FRAMES))
  })

  it('turned back to where it began is what straight reading gives, but for what a seek may change', () => {
    const plain = mixed(arrangement({ parts: [part('a', 'loop', 'splice', { beats: 32 })] }), 900 * MARK_FRAMES)
    const one = (bpm: number) =>
      arrangement({ tempoLine: [{ beat: 0, bpm }], parts: [part('a', 'loop', 'splice', { beats: 32 })] })
    const { arranger, heard, marks, play } = playing(one(110))
    play(200)
    arranger.setArrangement(one(120))
    play(100)
    arranger.setArrangement(one(110))
    play(300)
    // the place where the same beat lies in the straight mix
    const at = marks.length - 60
    const offset =
      Math.round(openTempo([{ beat: 0, bpm: 110 }]).secondsAt(marks[at] as number) * RATE) - at * MARK_FRAMES
    let dot = 0
    let own = 0
    let other = 0
    for (let i = at * MARK_FRAMES; i < heard.length; i++) {
      const a = heard[i] as number
      const b = plain[i + offset] as number
      dot += a * b
      own += a * a
      other += b * b
    }
    expect(dot / Math.sqrt(own * other)).toBeGreaterThan(0.97)
  })

  it('hears levels, mutes and solos within 50 ms, without a step', () => {
    const { arranger, heard, play } = playing(arrangement())
    play(300)
    const before = steepest(heard)
    arranger.setArrangement(
      arrangement({
        rows: [
          { ...row, muted: true },
          { ...row, gainDb: -60 },
        ],
      }),
    )
    const at = heard.length
    play(100)
    expect(steepest(heard)).toBeLessThan(1.05 * before)
    const late = heard.slice(at + 0.05 * RATE)
    expect(Math.max(...late.map(Math.abs))).toBeLessThan(0.002)
  })

  it('switches one part’s method, place and length while the others go on as they were, to the sample', () => {
    const alone = arrangement({
      parts: [part('a', 'loop', 'splice', { beats: 32 }), part('b', 'pad', 'vocoder', { gainDb: -96 })],
    })
    const { arranger, heard, play } = playing(alone)
    play(200)
    const [a, b] = alone.parts as [MixPart, MixPart]
    for (const change of [
      { startBeat: 0.25 },
      { startBeat: 0.25, recipe: { ...b.recipe, methodId: 'layered' } },
      { startBeat: 0, beats: 3 },
    ]) {
      arranger.setArrangement({ ...alone, parts: [a, { ...b, ...change }] })
      play(150)
    }
    const plain = mixed(arrangement({ parts: [a] }), heard.length)
    let most = 0
    heard.forEach((value, i) => {
      most = Math.max(most, Math.abs(value - (plain[i] as number)))
    })
    // the other part lies at -96 dB
    expect(most).toBeLessThan(1e-4)
  })

  it('takes in a part that is laid under the playhead, and lets one go, without a step', () => {
    const { arranger, heard, play } = playing(arrangement({ parts: [part('a', 'loop', 'splice', { beats: 32 })] }))
    play(300)
    const before = steepest(heard)
    arranger.setArrangement(arrangement())
    play(300)
    arranger.setArrangement(arrangement({ parts: [part('b', 'pad', 'vocoder', { row: 1 })] }))
    play(300)
    expect(steepest(heard)).toBeLessThan(1.5 * before)
    expect(Math.max(...heard.slice(-2000).map(Math.abs))).toBeGreaterThan(0.01)
  })

  it('jumps to a beat when another one has come, on its frame', () => {
    const only = arrangement({ parts: [part('a', 'loop', 'splice', { beats: 64 })] })
    const { arranger, heard, marks, play } = playing(only)
    play(50)
    arranger.setJump({ beat: 8, at: 4 })
    play(1000)
    expect(arranger.jump).toBeUndefined()
    const at = Math.round(openTempo(only.tempoLine).secondsAt(4) * RATE)
    const from = Math.round(openTempo(only.tempoLine).secondsAt(8) * RATE)
    const plain = mixed(only, from + 40_000)
    // beat 8 begins a round of the loop: from there on it is what the straight mix has
    for (let i = 0; i < 20_000; i++) expect(heard[at + i]).toBeCloseTo(plain[from + i] as number, 4)
    const block = Math.floor(at / MARK_FRAMES)
    expect(marks[block - 2]).toBeLessThan(4)
    expect(marks[block + 2]).toBeGreaterThan(8)
  })

  it('goes elsewhere with what was on its way, and not without it', () => {
    const { arranger, marks, play } = playing(arrangement())
    play(200)
    arranger.setArrangement(arrangement({ tempoLine: [{ beat: 0, bpm: 140 }] }))
    // begun, and not landed yet
    arranger.work()
    arranger.goTo(8)
    play(200)
    const last = marks.length - 1
    expect(marks[last]).toBeGreaterThan(8)
    const speed = (((marks[last] as number) - (marks[last - 1] as number)) * RATE * 60) / MARK_FRAMES
    expect(speed).toBeCloseTo(140, 3)
  })

  it('lets a queued jump be cancelled, and keeps one through a turn of the tempo', () => {
    const { arranger, marks, play } = playing(arrangement())
    arranger.setJump({ beat: 20, at: 4 })
    play(100)
    arranger.setJump(undefined)
    play(800)
    expect(Math.max(...marks)).toBeLessThan(8)
    arranger.setJump({ beat: 20, at: 8 })
    play(5)
    arranger.setArrangement(arrangement({ tempoLine: [{ beat: 0, bpm: 140 }] }))
    play(900)
    expect(Math.max(...marks)).toBeGreaterThan(20)
    expect(arranger.jump).toBeUndefined()
  })

  it('counts a bar in: only clicks, and the downbeat on its frame', () => {
    const { heard, play } = playing(arrangement({ parts: [part('a', 'loop', 'splice', { beats: 8 })] }), {
      leadBeats: 4,
    })
    play(1500)
    const bar = Math.round((4 * 60 * RATE) / 110)
    for (const beat of [0, 1, 2, 3]) {
      const at = Math.round((beat * 60 * RATE) / 110)
      expect(Math.max(...heard.slice(at, at + 400))).toBeGreaterThan(0.1)
      expect(Math.max(...heard.slice(at + 3000, at + 20_000).map(Math.abs))).toBe(0)
    }
    const plain = mixed(arrangement({ parts: [part('a', 'loop', 'splice', { beats: 8 })] }), 20_000)
    for (let i = 0; i < 20_000; i++) expect(heard[bar + i]).toBeCloseTo(plain[i] as number, 6)
  })

  it('ends with its last part, and fades where it is stopped', () => {
    const short = arrangement({ parts: [part('a', 'loop', 'splice', { beats: 2, repeat: false })] })
    const one = playing(short)
    one.play(500)
    expect(one.arranger.ended).toBe(true)
    const { arranger, heard, play } = playing(arrangement())
    play(300)
    const before = steepest(heard)
    arranger.stop()
    play(60)
    expect(steepest(heard)).toBeLessThan(1.1 * before)
    expect(heard.slice(-1000).every((value) => value === 0)).toBe(true)
  })
})
