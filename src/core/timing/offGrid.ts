import type { OpenGrid } from './grid'
import { type Hit, medianOf } from './hits'

/** A hit against the grid. */
export interface Dot extends Hit {
  readonly step: number
  /** seconds; below 0 is early */
  readonly offset: number
}

/**
 * Where every hit lies against its nearest step.
 * @param onto  where steps should lie, where that is not the grid by which hits find theirs.
 */
export const dotsOf = (hits: readonly Hit[], grid: OpenGrid, onto = grid): Dot[] =>
  hits.map(({ seconds, strength }) => {
    const step = grid.nearest(seconds)
    return { seconds, strength, step, offset: seconds - onto.at(step) }
  })

/** How hits lie against a grid, ms. */
export interface OffGrid {
  readonly hits: number
  readonly meanMs: number
  /** root mean square around the line of mean and slope, and around how late off-beats come */
  readonly spreadMs: number
  /** how much later hits come from bar to bar */
  readonly slopeMsPerBar: number
  /** half of all hits lie within this of the grid */
  readonly medianMs: number
  /** and 95 of 100 */
  readonly widestMs: number
  /** how much later the second step of each pair comes than the first; undefined where there are too few */
  readonly offBeatsMs: number | undefined
  /** from how much on that is no chance */
  readonly sureOffBeatsMs: number
}

const LEAST_HITS = 3
/** so many standard errors are no chance */
const SURE_ERRORS = 3

/** The strongest dot of each step: a grace note beside a stroke is off the grid by being one. */
function leading(dots: readonly Dot[]): Dot[] {
  const byStep = new Map<number, Dot>()
  for (const dot of dots) if (dot.strength > (byStep.get(dot.step)?.strength ?? -1)) byStep.set(dot.step, dot)
  return [...byStep.values()]
}

/** The figures of dots, the strongest of each step; undefined for fewer than three. */
export function offGridOf(all: readonly Dot[], grid: OpenGrid, beatsPerBar: number): OffGrid | undefined {
  const dots = leading(all)
  if (dots.length < LEAST_HITS) return undefined
  const perBar = beatsPerBar * grid.stepsPerBeat
  const late = dots.map(({ offset }) => 1000 * offset)
  const bars = dots.map(({ step }) => step / perBar)
  const mean = meanOf(late)
  const middle = meanOf(bars)
  let xy = 0
  let xx = 0
  dots.forEach((_, n) => {
    xy += ((bars[n] as number) - middle) * ((late[n] as number) - mean)
    xx += ((bars[n] as number) - middle) ** 2
  })
  const slope = xx > 1e-9 ? xy / xx : 0
  const left = late.map((value, n) => value - mean - slope * ((bars[n] as number) - middle))
  const sizes = late.map(Math.abs).sort((a, b) => a - b)
  const isSecond = (n: number) => (dots[n]?.step as number) % 2 !== 0
  const on = left.filter((_, n) => !isSecond(n))
  const off = left.filter((_, n) => isSecond(n))
  const both = on.length >= LEAST_HITS && off.length >= LEAST_HITS
  const [onMs, offMs] = both ? [medianOf(on), medianOf(off)] : [0, 0]
  const spread = Math.sqrt(meanOf(left.map((value, n) => (value - (isSecond(n) ? offMs : onMs)) ** 2)))
  return {
    hits: dots.length,
    meanMs: mean,
    spreadMs: spread,
    slopeMsPerBar: slope,
    medianMs: medianOf(sizes),
    widestMs: sizes[Math.min(sizes.length - 1, Math.ceil(0.95 * sizes.length) - 1)] as number,
    offBeatsMs: both ? offMs - onMs : undefined,
    sureOffBeatsMs: both ? SURE_ERRORS * spread * Math.sqrt(1 / on.length + 1 / off.length) : 0,
  }
}

const meanOf = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / Math.max(1, values.length)

/** what nobody hears, ms */
const SLIGHT_MS = 3
const LOOSE_MS = 6

/**
 * The same in words, most telling first: "drags 14 ms by bar 4; off-beats 22 ms late; spread 5 ms".
 * @param bars  how many the source has, for how far a slope has led in the end.
 */
export function offGridWords(figures: OffGrid, bars: number): string {
  const { meanMs, spreadMs, slopeMsPerBar, offBeatsMs, sureOffBeatsMs } = figures
  const words: string[] = []
  const led = slopeMsPerBar * Math.max(1, bars)
  if (bars >= 1.5 && Math.abs(led) >= 2 * SLIGHT_MS && Math.abs(led) > spreadMs)
    words.push(`${led > 0 ? 'drags' : 'rushes'} ${msText(led)} by bar ${Math.round(bars)}`)
  if (offBeatsMs !== undefined && Math.abs(offBeatsMs) >= SLIGHT_MS && Math.abs(offBeatsMs) >= sureOffBeatsMs)
    words.push(`off-beats ${msText(offBeatsMs)} ${offBeatsMs > 0 ? 'late' : 'early'}`)
  if (words.length === 0 && Math.abs(meanMs) >= SLIGHT_MS)
    words.push(`${msText(meanMs)} ${meanMs > 0 ? 'late' : 'early'} throughout`)
  words.push(
    spreadMs < SLIGHT_MS ? 'tight' : spreadMs < LOOSE_MS ? `spread ${msText(spreadMs)}` : `loose (${msText(spreadMs)})`,
  )
  return words.join('; ')
}

const msText = (ms: number) => `${Math.abs(ms) < 9.95 ? Math.abs(ms).toFixed(1) : Math.round(Math.abs(ms))} ms`
