import { describe, expect, it } from 'vitest'
import { finish } from '../task'
import { findKey } from './key'
import { beyondOneVoice } from './polyphony'
import { spectralPeaks } from './spectralPeaks'

const RATE = 11_025
const midiHz = (midi: number) => 440 * 2 ** ((midi - 69) / 12)

/** Notes one after the other, each as several at once, of a few falling harmonics. */
function played(chords: readonly (readonly number[])[], cents = 0, seconds = 0.7): Float32Array {
  const length = Math.round(seconds * RATE)
  const samples = new Float32Array(chords.length * length)
  chords.forEach((notes, n) => {
    for (const note of notes) {
      const hz = midiHz(note + cents / 100)
      for (let h = 1; h <= 5; h++) {
        for (let i = 0; i < length; i++) {
          const fade = Math.min(1, i / 200, (length - i) / 200)
          const at = n * length + i
          samples[at] =
            (samples[at] as number) + ((0.12 * fade) / h) * Math.sin((2 * Math.PI * h * hz * i) / RATE + note)
        }
      }
    }
  })
  return samples
}

const cadence = (tonic: number, minor: boolean) => {
  const third = minor ? 3 : 4
  const i = [tonic - 12, tonic, tonic + third, tonic + 7]
  const iv = [tonic - 7, tonic + 5, tonic + 5 + third, tonic + 12]
  const v = [tonic - 5, tonic + 7, tonic + 11, tonic + 14]
  return [i, iv, v, i]
}

describe('the key', () => {
  it.each([0, 2, 5, 7, 10])('of a cadence on pitch class %d is found in major and in minor', (pc) => {
    for (const minor of [false, true]) {
      const found = finish(findKey(played(cadence(48 + pc, minor)), RATE))
      expect([found?.root, found?.mode]).toEqual([pc, minor ? 'minor' : 'major'])
      expect(found?.confidence).toBeGreaterThan(0.3)
      expect(found?.profile.reduce((sum, share) => sum + share, 0)).toBeCloseTo(1, 9)
    }
  })
  it('goes with a transposition: the same tune a fourth up has the key a fourth up', () => {
    const tune = cadence(50, false)
    const low = finish(findKey(played(tune), RATE))
    const high = finish(findKey(played(tune.map((notes) => notes.map((note) => note + 5))), RATE))
    expect(high?.root).toBe(((low?.root ?? 0) + 5) % 12)
    expect(high?.mode).toBe(low?.mode)
  })
  it('has a tuning that is told within two cents, and does not move the key', () => {
    for (const cents of [-35, -12, 0, 18, 40]) {
      const found = finish(findKey(played(cadence(48, false), cents), RATE))
      expect(Math.abs((found?.tuningCents ?? 99) - cents)).toBeLessThan(2)
      expect(found?.root).toBe(0)
    }
  })
  it('of one note is the note alone, with its own pitch', () => {
    const found = finish(findKey(played([[57], [57]]), RATE))
    expect(found).toMatchObject({ root: 9, mode: undefined })
    expect(found?.rootHz).toBeCloseTo(220, 0)
  })
  it('of silence is none', () => {
    expect(finish(findKey(new Float32Array(RATE), RATE))).toBeUndefined()
  })
})

describe('spectral peaks', () => {
  it('lie at the partials, strongest where they are strongest', () => {
    const columns = finish(spectralPeaks(played([[57]]), RATE, 0.34))
    const peaks = columns[Math.floor(columns.length / 2)] ?? []
    expect(peaks.map(({ hz }) => Math.round(hz / 220))).toEqual([1, 2, 3, 4, 5])
    for (const { hz } of peaks) expect(Math.abs(hz / 220 - Math.round(hz / 220))).toBeLessThan(0.005)
    expect(peaks.map(({ level }) => level)).toEqual([...peaks.map(({ level }) => level)].sort((a, b) => b - a))
  })
  it('are none in next to silent columns', () => {
    const samples = new Float32Array(3 * RATE)
    samples.set(played([[57]]), 0)
    const columns = finish(spectralPeaks(samples, RATE, 0.13))
    expect(columns.at(-2)).toEqual([])
  })
})

describe('what one voice cannot explain', () => {
  it('is next to nothing of a line, and much of chords; silence says nothing', () => {
    const line = finish(beyondOneVoice(played([[52], [55], [59], [57]]), RATE)) ?? 1
    const chords =
      finish(
        beyondOneVoice(
          played([
            [48, 55, 63],
            [50, 58, 65],
          ]),
          RATE,
        ),
      ) ?? 0
    expect(line).toBeLessThan(0.1)
    expect(chords).toBeGreaterThan(0.25)
    expect(finish(beyondOneVoice(new Float32Array(4000), RATE))).toBeUndefined()
  })
})
