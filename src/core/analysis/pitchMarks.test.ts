import { describe, expect, it } from 'vitest'
import type { AudioBlock } from '../audio/block'
import { finish } from '../task'
import { createPitchMarks, pitchMarksOf } from './pitchMarks'
import { trackPitch } from './pitchTrack'

const RATE = 48_000

/** A pulse-like line whose period starts are known: harmonics that all begin a cycle together. */
function line(f0At: (t: number) => number, from: number, to: number, seconds: number) {
  const samples = new Float32Array(Math.round(seconds * RATE))
  const starts: number[] = []
  let phase = 0
  for (let i = Math.round(from * RATE); i < Math.round(to * RATE); i++) {
    const hz = f0At(i / RATE)
    const next = phase + hz / RATE
    if (Math.floor(next) > Math.floor(phase)) starts.push(i + (Math.ceil(phase) - phase) / (hz / RATE))
    phase = next
    let sum = 0
    for (let n = 1; n <= 20; n++) sum += Math.sin(2 * Math.PI * n * phase) / n
    samples[i] = 0.2 * sum
  }
  const audio: AudioBlock = { sampleRate: RATE, channels: [samples] }
  return { audio, starts }
}

const vibrato = (t: number) => 160 * (1 + 0.03 * Math.sin(2 * Math.PI * 5 * t))

describe('pitch marks', () => {
  it('lie one in each cycle, all at the same place in it, where it bursts', () => {
    const { audio, starts } = line(vibrato, 0.1, 1.1, 1.2)
    const marks = createPitchMarks(audio, finish(trackPitch(audio)))
    const run = marks.run(marks.runAt(0.6 * RATE))
    const within = starts.filter((s) => s > (run.marks[1] as number) && s < (run.marks.at(-2) as number))
    expect(within.length).toBeGreaterThan(120)
    const offsets = within.map((start) => {
      const nearest = run.marks.reduce((best, mark) => (Math.abs(mark - start) < Math.abs(best - start) ? mark : best))
      return nearest - start
    })
    const middle = [...offsets].sort((a, b) => a - b)[offsets.length >> 1] as number
    // at the burst: within a twelfth of a cycle of where all harmonics begin together
    expect(Math.abs(middle)).toBeLessThan(25)
    for (const offset of offsets) expect(Math.abs(offset - middle)).toBeLessThan(6)
    expect(new Set(run.marks).size).toBe(run.marks.length)
  })

  it('say the period of a vibrato at its own moment', () => {
    const { audio } = line(vibrato, 0.1, 1.1, 1.2)
    const marks = createPitchMarks(audio, finish(trackPitch(audio)))
    for (let t = 0.3; t < 0.9; t += 0.013) {
      const frame = t * RATE
      const run = marks.run(marks.runAt(frame))
      const n = run.marks.findIndex((mark) => mark > frame) - 1
      expect(Math.abs(marks.periodAt(run, n, frame) / (RATE / vibrato(t)) - 1)).toBeLessThan(0.002)
    }
  })

  it('keep their step where a note sets in and dies', () => {
    const { audio } = line(() => 82.4, 0.2, 0.6, 0.8)
    for (let i = 0; i < 3000; i++) {
      const at = Math.round(0.6 * RATE) - 3000 + i
      const samples = audio.channels[0] as Float32Array
      samples[at] = (samples[at] as number) * (1 - i / 3000)
    }
    const marks = createPitchMarks(audio, finish(trackPitch(audio)), [Math.round(0.2 * RATE)])
    const run = marks.run(marks.runAt(0.4 * RATE))
    for (let n = 1; n < run.marks.length; n++) {
      const hz = RATE / ((run.marks[n] as number) - (run.marks[n - 1] as number))
      expect(Math.abs(hz / 82.4 - 1)).toBeLessThan(0.03)
    }
  })

  it('are the same when they were got ready in small steps, around the place that was asked for', () => {
    const { audio } = line((t) => (t < 0.5 ? 110 : 190), 0, 1, 1)
    const track = finish(trackPitch(audio))
    const ready = createPitchMarks(audio, track)
    const steps = [...ready.prepare(0.7 * RATE, 0.8 * RATE)].length
    const at = ready.runAt(0.75 * RATE)
    expect(ready.run(at).marks).toEqual(createPitchMarks(audio, track).run(at).marks)
    // one step for the mix of a mono source is none at all; then one for every few marks
    expect(steps).toBeGreaterThan(10)
    expect(steps).toBeLessThan(ready.run(at).marks.length)
  })

  it('are found once for a source, its track and its attacks', () => {
    const { audio } = line(() => 120, 0, 0.5, 0.5)
    const track = finish(trackPitch(audio))
    expect(pitchMarksOf(audio, track, [])).toBe(pitchMarksOf(audio, track, []))
    expect(pitchMarksOf(audio, track, [100])).not.toBe(pitchMarksOf(audio, track, [200]))
  })
})
