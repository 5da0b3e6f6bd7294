/** A tempo that a file's name tells. */
export interface NamedTempo {
  readonly bpm: number
  /** the name says that the number is a tempo */
  readonly marked: boolean
}

const LEAST = 40
const MOST = 240
/** a bare number counts from here to there only: below and above it is sooner a take, a year or a rate */
const BARE_LEAST = 60
const BARE_MOST = 200
/** what a number after these words is, or before those units: no tempo */
const OTHER_BEFORE =
  /(?:take|tk|vol|v|ver|version|no|nr|part|pt|track|trk|scene|sc|cue|mic|ch|room|reel|layer|k|hz|op)[\s._-]*$/i
const OTHER_BEHIND = /^\s*[-_]?(?:k?hz|khz|k\b|bit|bits|ms|s\b|sec|min|db|st|ct|cents?|mm|cm|m\b|%|kbps|kb|mb)/i

/**
 * The tempo in a file's name: a number that is marked as one ("112bpm", "bpm 93.5"), or else a bare number between
 * separators that may well be one ("…_112"). The extension and folders are left out of it.
 */
export function namedTempo(file: string): NamedTempo | undefined {
  const name = file.replace(/^.*[\\/]/, '').replace(/\.[a-z0-9]{1,5}$/i, '')
  const number = String.raw`(\d{2,3}(?:[.,]\d{1,3})?)`
  const marked =
    new RegExp(`${number}[\\s_-]*bpm`, 'i').exec(name) ?? new RegExp(`bpm[\\s_=-]*${number}(?!\\d)`, 'i').exec(name)
  if (marked) {
    const bpm = Number((marked[1] as string).replace(',', '.'))
    if (bpm >= LEAST && bpm <= MOST) return { bpm, marked: true }
  }
  let bare: number | undefined
  for (const match of name.matchAll(/(?<![\d.,a-z#])(\d{2,3}(?:[.,]\d)?)(?![\d.,])/gi)) {
    const before = name.slice(0, match.index)
    const behind = name.slice(match.index + match[0].length)
    if (OTHER_BEFORE.test(before) || OTHER_BEHIND.test(behind) || /^[a-z]/i.test(behind)) continue
    // 2026-11-25, 12.30: a date or an hour
    if (/\d[-.:]$/.test(before) || /^[-.:]\d/.test(behind)) continue
    const bpm = Number((match[1] as string).replace(',', '.'))
    if (bpm >= BARE_LEAST && bpm <= BARE_MOST) bare = bpm
  }
  return bare === undefined ? undefined : { bpm: bare, marked: false }
}
