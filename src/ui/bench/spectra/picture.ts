import { interpolateLab } from 'd3-interpolate'
import { levelOf, type Spectrogram } from '../../../core'

/** Spectrograms as pixels: which bins a row stands for, which colour a level has. Pure; sizes in device pixels. */

export type Frequency = 'log' | 'linear'

const LOWEST_HZ = 40
const HIGHEST_HZ = 20_000
/** levels that far under the loudest are the ground, dB */
const RANGE_DB = 80
/** a difference beyond this is drawn as this, dB */
export const DIFFERENCE_DB = 18

/** Which frequency lies at a height, 0 the bottom and 1 the top. */
export function hzAt(share: number, frequency: Frequency, sampleRate: number): number {
  const highest = Math.min(HIGHEST_HZ, sampleRate / 2)
  return frequency === 'log' ? LOWEST_HZ * (highest / LOWEST_HZ) ** share : share * highest
}

/** At which height a frequency lies. */
export function shareOf(hz: number, frequency: Frequency, sampleRate: number): number {
  const highest = Math.min(HIGHEST_HZ, sampleRate / 2)
  return frequency === 'log' ? Math.log(hz / LOWEST_HZ) / Math.log(highest / LOWEST_HZ) : hz / highest
}

/** The bins of each row from the top down, end exclusive; at least one each. */
export function rowsOf({ fftFrames, bins, sampleRate }: Spectrogram, heightPx: number, frequency: Frequency) {
  const binHz = sampleRate / fftFrames
  return Array.from({ length: heightPx }, (_, y) => {
    const low = hzAt((heightPx - y - 1) / heightPx, frequency, sampleRate) / binHz
    const high = hzAt((heightPx - y) / heightPx, frequency, sampleRate) / binHz
    const from = Math.min(bins - 1, Math.round(low))
    return { from, to: Math.min(bins, Math.max(from + 1, Math.round(high))) }
  })
}

/** The loudest level anywhere, dB. */
export function loudestDb({ levels }: Spectrogram): number {
  let most = 0
  for (const level of levels) if (level > most) most = level
  return levelOf(most)
}

/** 256 colours in even steps of perceived lightness, through the given stops (themselves evenly apart in lightness). */
export function ramp(stops: readonly string[]): Uint8ClampedArray {
  const colours = new Uint8ClampedArray(256 * 4)
  const parts = stops.slice(1).map((stop, n) => interpolateLab(stops[n] as string, stop))
  for (let i = 0; i < 256; i++) {
    const along = (i / 255) * parts.length
    const part = Math.min(parts.length - 1, Math.floor(along))
    const text = (parts[part] as (t: number) => string)(along - part)
    colours.set(
      [...text.matchAll(/\d+/g)].slice(0, 3).map(([digits]) => Number(digits)),
      4 * i,
    )
    colours[4 * i + 3] = 255
  }
  return colours
}

/** What of a picture is drawn: the part of its columns that is in view, as shares of its width. */
export interface Part {
  readonly from: number
  readonly to: number
}

/**
 * Levels as pixels, `[heightPx × widthPx × 4]`, the top row first.
 * @param topDb  what the lightest colour stands for.
 */
export function drawLevels(
  out: Uint8ClampedArray,
  widthPx: number,
  heightPx: number,
  picture: Spectrogram,
  part: Part,
  frequency: Frequency,
  topDb: number,
  colours: Uint8ClampedArray,
) {
  const rows = rowsOf(picture, heightPx, frequency)
  const { bins, levels, columns } = picture
  for (let x = 0; x < widthPx; x++) {
    const column = columnAt(x, widthPx, part, columns)
    for (let y = 0; y < heightPx; y++) {
      const at = 4 * (y * widthPx + x)
      if (column < 0) {
        out.fill(0, at, at + 4)
        continue
      }
      const db = levelOf(highest(levels, column * bins, rows[y] as { from: number; to: number }))
      const step = Math.max(0, Math.min(255, Math.round(255 * (1 - (topDb - db) / RANGE_DB))))
      for (let c = 0; c < 4; c++) out[at + c] = colours[4 * step + c] as number
    }
  }
}

/**
 * How much louder one picture is than another, cell by cell; what lies under the range in both is no difference.
 * @param offsetDb  is added to the first: what matching the loudness does to it.
 */
export function drawDifference(
  out: Uint8ClampedArray,
  widthPx: number,
  heightPx: number,
  picture: Spectrogram,
  against: Spectrogram,
  part: Part,
  frequency: Frequency,
  topDb: number,
  offsetDb: number,
  colours: Uint8ClampedArray,
) {
  const rows = rowsOf(picture, heightPx, frequency)
  const otherRows = rowsOf(against, heightPx, frequency)
  const floor = topDb - RANGE_DB
  for (let x = 0; x < widthPx; x++) {
    const column = columnAt(x, widthPx, part, picture.columns)
    const other = columnAt(x, widthPx, part, against.columns)
    for (let y = 0; y < heightPx; y++) {
      const at = 4 * (y * widthPx + x)
      if (column < 0 || other < 0) {
        out.fill(0, at, at + 4)
        continue
      }
      const own = levelOf(highest(picture.levels, column * picture.bins, rows[y] as { from: number; to: number }))
      const its = levelOf(highest(against.levels, other * against.bins, otherRows[y] as { from: number; to: number }))
      const louder = Math.max(floor, own + offsetDb) - Math.max(floor, its)
      const step = Math.max(0, Math.min(255, Math.round(127.5 + (127.5 * louder) / DIFFERENCE_DB)))
      for (let c = 0; c < 4; c++) out[at + c] = colours[4 * step + c] as number
    }
  }
}

function columnAt(x: number, widthPx: number, { from, to }: Part, columns: number): number {
  const share = from + ((x + 0.5) / widthPx) * (to - from)
  return share < 0 || share >= 1 ? -1 : Math.floor(share * columns)
}

function highest(levels: Uint8Array, base: number, { from, to }: { from: number; to: number }): number {
  let most = 0
  for (let k = from; k < to; k++) most = Math.max(most, levels[base + k] as number)
  return most
}
