import type { Analysis } from './analysis'

/**
 * The usual time between two attacks in ms, or undefined where there are too few to speak of one: the middle of the gaps,
 * each counted by its own length, so that a roll inside a slow passage does not speak for the passage.
 */
export function usualGapMs(analysis: Analysis, sampleRate: number): number | undefined {
  const frames = (analysis.attacks ?? []).map((attack) => attack.frame)
  if (frames.length < 3) return undefined
  const gaps = frames.slice(1).map((frame, i) => frame - (frames[i] as number))
  gaps.sort((a, b) => a - b)
  const total = gaps.reduce((sum, gap) => sum + gap, 0)
  let passed = 0
  for (const gap of gaps) {
    passed += gap
    if (2 * passed >= total) return (1000 * gap) / sampleRate
  }
  return undefined
}

/** entropies that differ by less say nothing of a window */
const NOTHING_TOLD = 0.12
/** nats that a window twice as long has to gain: in a chord that is held, in partials that stand for a moment */
const HELD = 0.56
const STANDS = 0.4
/** a shorter one that loses less moves with what moves */
const LITTLE_LOST = 0.4
const MUCH_LOST = 0.7
/** nats that long windows lose where a sound sweeps faster than any of them can follow */
const SWEEPS = 0.44
/** and what the shortest ones have to gain where a middle one does not lose as much, since knocks lose so too */
const SOUNDS_ON = 0.3
/** what is struck loses little by short windows, and is struck again within this, ms */
const STRUCK_LOST = 0.32
const STRUCK_AGAIN_MS = 430

/** A window for phases that are carried on, and whether what it looks at moves. */
export interface TonalWindow {
  readonly ms: number
  readonly moves: boolean
}

/**
 * The window for phases that are carried on: long where partials stand, short where they move. How spread out spectra
 * are through windows of several lengths tells it: it is about two octaves shorter than the one that shows most.
 * Source  fitted to core/testing/scores, numbers 1–4, 8, 9 and 12, as the window of the least distance.
 */
export function tonalWindow({ attacks, focus }: Analysis, sampleRate: number): TonalWindow {
  const standing = (ms: number): TonalWindow => ({ ms, moves: false })
  const moving = (ms: number): TonalWindow => ({ ms, moves: true })
  if (!focus || Math.max(...focus) - Math.min(...focus) < NOTHING_TOLD) return standing(170)
  const [at21 = 0, at43 = 0, at85 = 0, at170 = 0, at340 = 0] = focus
  if (at170 - at340 >= HELD) return standing(170)
  if (at170 - at85 >= SWEEPS && at340 - at170 >= SWEEPS && (at85 - at43 >= SWEEPS || at21 - at43 >= SOUNDS_ON))
    return moving(11)
  // something in it stands for as long as the longest window, whatever moves or is struck beside it
  if (at85 - at170 >= STANDS || at170 > at340) return standing(85)
  const gapMs = usualGapMs(attacks ? { attacks } : {}, sampleRate)
  if (at21 - at43 < STRUCK_LOST && gapMs !== undefined && gapMs < STRUCK_AGAIN_MS)
    return standing(at43 < at85 ? 43 : 85)
  if (at43 - at85 >= LITTLE_LOST) return moving(43)
  return moving(at21 - at43 < MUCH_LOST ? 21 : 43)
}

/** share of a source that has to have a pitch for it to count as one line: of knocks that ring, half may have one */
const LEAST_PITCHED = 0.6

/**
 * The longest period of a source that is one line, in ms: that of the pitch below which a twentieth of it lies. Undefined
 * where too little of the sound has a pitch, or nobody looked.
 */
export function longestPeriodMs(analysis: Analysis): number | undefined {
  const { pitch } = analysis
  if (!pitch) return undefined
  const pitched = [...pitch.hz].filter((hz) => hz > 0).sort((a, b) => a - b)
  if (pitched.length < 5 || pitched.length < LEAST_PITCHED * pitch.hz.length) return undefined
  return 1000 / (pitched[Math.floor(pitched.length / 20)] as number)
}

/** A setting that follows the sound: `value` kept within `least…most`, whole; `otherwise` where the sound says nothing. */
export function pickWithin(value: number | undefined, least: number, most: number, otherwise: number): number {
  return Math.round(Math.min(most, Math.max(least, value ?? otherwise)))
}
