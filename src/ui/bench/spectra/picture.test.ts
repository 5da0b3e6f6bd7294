import { describe, expect, it } from 'vitest'
import { LOWEST_DB, type Spectrogram } from '../../../core'
import { DIFFERENCE_DB, drawDifference, drawLevels, hzAt, loudestDb, ramp, rowsOf, shareOf } from './picture'
import { rampsOf } from './ramps'

const stored = (db: number) => Math.round(2 * (db - LOWEST_DB))

/** A picture with one level in every cell but those that are set. */
function picture(db: number, cells: readonly { column: number; bin: number; db: number }[] = []): Spectrogram {
  const columns = 10
  const bins = 513
  const levels = new Uint8Array(columns * bins).fill(stored(db))
  for (const { column, bin, db: level } of cells) levels[column * bins + bin] = stored(level)
  return { sampleRate: 48_000, fftFrames: 1024, columns, bins, levels }
}

const grey = new Uint8ClampedArray(1024).map((_, i) => (i % 4 === 3 ? 255 : i >> 2))
const all = { from: 0, to: 1 }

function drawn(made: Spectrogram, width = 20, height = 40, part = all, topDb = 0) {
  const out = new Uint8ClampedArray(4 * width * height)
  drawLevels(out, width, height, made, part, 'log', topDb, grey)
  return (x: number, y: number) => out[4 * (y * width + x)] as number
}

describe('the frequency axis', () => {
  it('says where a frequency lies and which frequency lies there', () => {
    for (const frequency of ['log', 'linear'] as const)
      for (const hz of [100, 1000, 10_000])
        expect(hzAt(shareOf(hz, frequency, 48_000), frequency, 48_000)).toBeCloseTo(hz, 6)
    const octave = shareOf(2000, 'log', 48_000) - shareOf(1000, 'log', 48_000)
    expect(shareOf(400, 'log', 48_000) - shareOf(200, 'log', 48_000)).toBeCloseTo(octave, 9)
  })
  it('shows every bin in range in some row, from the top down', () => {
    for (const frequency of ['log', 'linear'] as const) {
      const rows = rowsOf(picture(-90), 60, frequency)
      for (let y = 1; y < rows.length; y++) {
        expect(rows[y]?.from).toBeLessThanOrEqual(rows[y - 1]?.from as number)
        expect(rows[y]?.to).toBeGreaterThanOrEqual(rows[y - 1]?.from as number)
        expect(rows[y]?.to).toBeGreaterThan(rows[y]?.from as number)
      }
    }
  })
})

describe('levels as pixels', () => {
  it('are black at the ground, white at the top, and never less bright when louder', () => {
    expect(drawn(picture(-90))(3, 3)).toBe(0)
    expect(drawn(picture(0))(3, 3)).toBe(255)
    let before = -1
    for (let db = -80; db <= 0; db += 4) {
      const here = drawn(picture(db))(5, 5)
      expect(here).toBeGreaterThanOrEqual(before)
      before = here
    }
  })
  it('show a lone tone in its row and its columns only', () => {
    const bin = 40
    const at = drawn(picture(-100, [{ column: 4, bin, db: -6 }]))
    const y = 39 - Math.floor(shareOf((bin * 48_000) / 1024, 'log', 48_000) * 40)
    const bright = [0, -1, 1].some((off) => at(8, y + off) > 200)
    expect(bright).toBe(true)
    expect(at(2, y)).toBe(0)
    expect(at(8, 2)).toBe(0)
  })
  it('leave out what lies beside the part that was made', () => {
    const out = new Uint8ClampedArray(4 * 20 * 4)
    drawLevels(out, 20, 4, picture(0), { from: -0.5, to: 0.5 }, 'linear', 0, grey)
    expect(out[3]).toBe(0)
    expect(out[4 * 19 + 3]).toBe(255)
  })
  it('have the loudest cell as their top', () => {
    expect(loudestDb(picture(-60, [{ column: 1, bin: 9, db: -12 }]))).toBe(-12)
  })
})

describe('a difference', () => {
  const between = (a: Spectrogram, b: Spectrogram, offsetDb = 0) => {
    const out = new Uint8ClampedArray(4 * 20 * 40)
    drawDifference(out, 20, 40, a, b, all, 'log', 0, offsetDb, grey)
    return out[4 * 210] as number
  }
  it('is in the middle where both are alike, or both under the range', () => {
    expect(between(picture(-20), picture(-20))).toBe(128)
    expect(between(picture(-120), picture(-95))).toBe(128)
  })
  it('goes one way for louder, the other for quieter, as far as its range', () => {
    const louder = between(picture(-20), picture(-26))
    expect(louder).toBeCloseTo(127.5 + (127.5 * 6) / DIFFERENCE_DB, -1)
    expect(between(picture(-26), picture(-20))).toBeCloseTo(255 - louder, -0.5)
    expect(between(picture(-10), picture(-60))).toBe(255)
  })
  it('takes a matched level into account', () => {
    expect(between(picture(-26), picture(-20), 6)).toBe(128)
  })
})

describe('the colours', () => {
  it('get evenly lighter, or darker on paper, and part evenly from the middle', () => {
    const lightness = (colours: Uint8ClampedArray, i: number) => {
      const linear = [0, 1, 2].map((c) => ((colours[4 * i + c] as number) / 255) ** 2.2) as [number, number, number]
      return 116 * Math.cbrt(0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]) - 16
    }
    for (const theme of ['ink', 'paper'] as const) {
      const { levels, differences } = rampsOf(theme)
      const way = theme === 'ink' ? 1 : -1
      for (let i = 16; i < 256; i += 16)
        expect(way * (lightness(levels, i) - lightness(levels, i - 16))).toBeGreaterThan(1.5)
      for (let i = 0; i < 112; i += 16)
        expect(way * (lightness(differences, i) - lightness(differences, i + 16))).toBeGreaterThan(0)
    }
    expect([...ramp(['#000000', '#ffffff']).subarray(0, 4)]).toEqual([0, 0, 0, 255])
  })
})
