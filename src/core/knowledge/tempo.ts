import type { Attack } from '../analysis/attacks'
import { type Novelty, STEPS_PER_SECOND } from '../analysis/novelty'
import { fitGrid, followBeats, type Grid, keepsToBeats } from './beats'
import type { NamedTempo } from './namedTempo'
import {
  featuresOf,
  likelyBeats,
  type Periodicity,
  periodicityOf,
  type Stroke,
  standingOut,
  strokesOf,
  TEMPO_RANGE,
} from './periodicity'
import { scoreOf } from './tempoWeights'

export interface TempoCandidate {
  readonly bpm: number
  /** share of belief, 0–1; all together at most 1 */
  readonly weight: number
  /** where it comes from, in a few words */
  readonly evidence: readonly string[]
}

/** from here on a tempo that was found is used without asking, by its confidence */
export const SURE_FROM = 0.4

export interface Tempo {
  /** undefined where the sound has none, or none that can be told */
  readonly bpm: number | undefined
  /** 0–1: how often an answer like this one is right, within 1 % */
  readonly confidence: number
  readonly candidates: readonly TempoCandidate[]
  /** seconds, rising */
  readonly beats: readonly number[]
  readonly beatsPerBar: number
  /** index into `beats` of the first beat that begins a bar */
  readonly firstBar: number
  readonly drift: Drift
}

/** How a performance keeps its tempo. */
export interface Drift {
  /** standard deviation of the bars' tempo, % of the mean; 0 for what keeps to a grid */
  readonly percent: number
  readonly bars: readonly { readonly seconds: number; readonly bpm: number }[]
}

/** What a sound without a tempo has. */
export const NO_TEMPO: Tempo = {
  bpm: undefined,
  confidence: 0,
  candidates: [],
  beats: [],
  beatsPerBar: 4,
  firstBar: 0,
  drift: { percent: 0, bars: [] },
}

/** a tempo in the name counts as this much evidence, in odds, when it is marked and when it is bare */
const MARKED_ODDS = 6
const BARE_ODDS = 3
const SAME = 0.012
const MOST_CANDIDATES = 9
/** below this much of a pulse no tempo is named */
const LEAST_PULSE = 0.35
const LEAST_CONFIDENCE = 0.2
/** grids looser than this, or that leave out more, are no grids */
const MOST_LOOSE_MS = 22
const LEAST_ON_GRID = 0.6
/** tempi are as a rule whole or half numbers: within the uncertainty of the fit they are taken for that */
const WHOLE_STEP = 0.5

interface Candidate {
  readonly bpm: number
  odds: number
  readonly grid: Grid | undefined
  readonly beat: number
  readonly evidence: readonly string[]
}

export interface TempoInput {
  readonly novelty: Novelty
  readonly attacks: readonly Attack[]
  readonly sampleRate: number
  readonly seconds: number
  readonly named?: NamedTempo | undefined
  /** from the file's own data */
  readonly tagged?: number | undefined
}

/** Tempo, beats and drift of a sound, with the evidence side by side. */
export function tempoOf(input: TempoInput): Tempo {
  const { novelty, attacks, sampleRate, seconds, named, tagged } = input
  const strokes = strokesOf(novelty, attacks, sampleRate)
  const told = [
    ...(named
      ? [{ bpm: named.bpm, odds: named.marked ? MARKED_ODDS : BARE_ODDS, words: 'the file name says so' }]
      : []),
    ...(tagged ? [{ bpm: tagged, odds: MARKED_ODDS, words: 'the file says so inside' }] : []),
  ]
  if (strokes.length < 4 || seconds < 1) return onlyTold(told)
  const period = periodicityOf(novelty, seconds, strokes)
  const beats = likelyBeats(period)
  if (beats.length === 0) return onlyTold(told)
  const scores = beats.map((beat) => scoreOf(featuresOf(period, beat)))
  const most = Math.max(...scores)
  const found = beats
    .map((beat, i) => ({ beat, odds: Math.exp((scores[i] as number) - most) }))
    .sort((a, b) => b.odds - a.odds)
    .slice(0, MOST_CANDIDATES)
    .map((candidate) => ({ ...candidate, grid: gridFor(strokes, period, candidate.beat) }))
  const whole = found.reduce((sum, { odds }) => sum + odds, 0)
  const steady = steadyPulse(
    period,
    found.flatMap(({ grid }) => (grid ? [grid] : [])),
    strokes,
  )
  const candidates: Candidate[] = []
  for (const { grid, beat, odds } of found) {
    const bpm = grid ? wholeBpm(grid) : 60 / beat
    const same = candidates.find((known) => Math.abs(known.bpm / bpm - 1) < SAME)
    if (same) same.odds += odds / whole
    else if (isTempo(bpm))
      candidates.push({ bpm, odds: odds / whole, grid, beat, evidence: evidenceFor(period, strokes, beat, grid) })
  }
  // what the file says agrees with one of them, or stands beside them
  const merged = candidates.map((candidate) => {
    const agreeing = told.filter(({ bpm }) => Math.abs(candidate.bpm / bpm - 1) < SAME)
    return {
      ...candidate,
      odds: agreeing.reduce((odds, { odds: by }) => odds * (1 + by), candidate.odds),
      evidence: [...candidate.evidence, ...agreeing.map(({ words }) => words)],
      agreed: agreeing.length > 0,
    }
  })
  merged.sort((a, b) => b.odds - a.odds)
  const sum = merged.reduce((s, { odds }) => s + odds, 0)
  const best = merged[0] as (typeof merged)[0]
  const contradicted = told.length > 0 && !best.agreed
  const free = steady < 0.6 ? followBeats(standingOut(novelty.all), STEPS_PER_SECOND, best.beat, strokes) : []
  const wandering = steady < 0.6 ? wanderingPulse(free, strokes) : 0
  const pulse = Math.max(steady, wandering)
  const confidence = pulse * (best.odds / sum) * (contradicted ? 0.9 : 1)
  const unheard = told.filter(({ bpm }) => !merged.some((m) => Math.abs(m.bpm / bpm - 1) < SAME))
  const listed: TempoCandidate[] = [
    ...merged
      .slice(0, 6)
      .map(({ bpm, odds, evidence }) => ({ bpm: tidyBpm(bpm), weight: pulse * (odds / sum), evidence })),
    ...unheard.map(({ bpm, words }) => ({
      bpm,
      weight: (1 - pulse) * 0.5,
      evidence: [words, 'not heard in the sound'],
    })),
  ]
  if (pulse < LEAST_PULSE || confidence < LEAST_CONFIDENCE)
    return { ...onlyTold(told), candidates: listed, confidence: told.length > 0 ? 0.25 : confidence }
  const rhythm =
    wandering > steady
      ? freeRhythm(free, best, period, strokes)
      : (steadyRhythm(best, period, strokes, seconds) ??
        freeRhythm(
          followBeats(standingOut(novelty.all), STEPS_PER_SECOND, 60 / best.bpm, strokes),
          best,
          period,
          strokes,
        ))
  return { ...rhythm, bpm: tidyBpm(rhythm.bpm), confidence, candidates: listed }
}

function onlyTold(told: readonly { bpm: number; words: string }[]): Tempo {
  const candidates = told.map(({ bpm, words }) => ({ bpm, weight: 0.25, evidence: [words, 'not heard in the sound'] }))
  const first = told[0]
  // a name may be right, but nothing here can tell
  return first ? { ...NO_TEMPO, bpm: first.bpm, confidence: 0.25, candidates } : NO_TEMPO
}

const tidyBpm = (bpm: number) => Math.round(bpm * 1000) / 1000

function wholeBpm(grid: Grid): number {
  const bpm = 60 / grid.beatSeconds
  const whole = Math.round(bpm)
  const half = Math.round(bpm / WHOLE_STEP) * WHOLE_STEP
  const uncertainty = Math.min(6e-4, Math.max(1.5e-4, grid.uncertainty))
  const offWhole = Math.abs(bpm / whole - 1) / uncertainty
  const offHalf = Math.abs(bpm / half - 1) / uncertainty
  if (offWhole < 1.2 || (offWhole < 2.5 && offWhole < 3 * offHalf)) return whole
  return offHalf < 1.5 ? half : bpm
}

/** A grid for this beat: its phase where strokes are, then fitted. */
function gridFor(strokes: readonly Stroke[], period: Periodicity, beat: number): Grid | undefined {
  return fitGrid(strokes, period.refine(beat), phaseOf(strokes, beat))
}

/** Seconds of the first beat, 0 to one beat: where most of the strength falls, low strokes above all. */
function phaseOf(strokes: readonly Stroke[], beat: number): number {
  const few = strokes.filter((stroke) => stroke.seconds < (strokes[0]?.seconds as number) + 16 * beat)
  let best = 0
  let most = -1
  for (const candidate of few) {
    const phase = candidate.seconds % beat
    let score = 0
    for (const stroke of few) {
      const u = (stroke.seconds - phase) / beat
      const near = (shift: number) => Math.max(0, 1 - Math.abs(u + shift - Math.round(u + shift)) / 0.08)
      score += (stroke.all + 1.5 * stroke.low) * (near(0) + 0.35 * near(0.5) + 0.1 * (near(0.25) + near(-0.25)))
    }
    // a file that begins with a stroke was cut on a beat
    if (candidate.seconds < 0.03) score *= 1.25
    if (score > most) {
      most = score
      best = phase
    }
  }
  return best
}

const logistic = (z: number) => 1 / (1 + Math.exp(-z))

/**
 * 0–1: whether there is a steady pulse, from how the sound repeats and how its strokes keep to a grid. Found on
 * core/testing/loops against speech, rain, cries and strokes at random: those reach 0.6 and 0.85, loops 0.5–1 and
 * 0.86–1.
 */
function steadyPulse(period: Periodicity, grids: readonly Grid[], strokes: readonly Stroke[]): number {
  const { repeat, tight } = pulseFigures(period, grids)
  return logistic(10 * (repeat - 0.5) + 25 * (tight - 0.9) - 0.12 * Math.max(0, 12 - strokes.length))
}

/** The same for a pulse that wanders: by chance strokes keep to the parts of found beats up to 0.5. */
function wanderingPulse(beats: readonly number[], strokes: readonly Stroke[]): number {
  return strokes.length < 12 ? 0 : 0.75 * logistic(20 * (keepsToBeats(beats, strokes) - 0.6))
}

function pulseFigures(period: Periodicity, grids: readonly Grid[]): { repeat: number; tight: number } {
  let repeat = 0
  let tight = 0
  for (const grid of grids) {
    const b = grid.beatSeconds
    repeat = Math.max(repeat, period.all(b), period.all(2 * b), period.all(4 * b))
    // by chance strokes would be off by up to half of a sixteenth, root mean square a third of that squared
    const room = (1000 * b) / 8 / Math.sqrt(3)
    tight = Math.max(tight, Math.max(0, 1 - grid.looseMs / room) * grid.share)
  }
  return { repeat, tight }
}

function evidenceFor(period: Periodicity, strokes: readonly Stroke[], beat: number, grid: Grid | undefined): string[] {
  const words: string[] = []
  const percent = (x: number) => `${Math.round(100 * Math.max(0, x))} %`
  const bar = period.all(4 * beat)
  if (bar > 0.3) words.push(`repeats every bar of four (${percent(bar)} alike)`)
  else if (period.all(2 * beat) > 0.25) words.push(`repeats every two beats (${percent(period.all(2 * beat))} alike)`)
  else if (period.all(beat) > 0.2) words.push(`repeats every beat (${percent(period.all(beat))} alike)`)
  if (grid)
    words.push(
      `${percent(grid.share)} of ${strokes.length} attacks lie on its sixteenths, ${grid.looseMs.toFixed(1)} ms loose`,
    )
  const bars = period.seconds / (4 * beat)
  if (Math.abs(bars - Math.round(bars)) * 4 * beat < 0.03 && Math.round(bars) > 0)
    words.push(`the file is ${Math.round(bars)} bar${Math.round(bars) === 1 ? '' : 's'} long at it`)
  return words
}

type Rhythm = Pick<Tempo, 'beats' | 'beatsPerBar' | 'firstBar' | 'drift'> & { readonly bpm: number }

/** Beats on a grid; undefined where strokes do not keep to it. */
function steadyRhythm(
  best: Candidate,
  period: Periodicity,
  strokes: readonly Stroke[],
  seconds: number,
): Rhythm | undefined {
  const { grid, bpm } = best
  if (!grid || grid.looseMs > MOST_LOOSE_MS || grid.share < LEAST_ON_GRID) return undefined
  const beatsPerBar = beatsInBar(period, 60 / bpm)
  const beat = 60 / bpm
  const first = grid.firstSeconds - beat * Math.floor(grid.firstSeconds / beat + 0.06)
  const beats: number[] = []
  for (let n = 0; first + n * beat < seconds - 0.02; n++) beats.push(Math.max(0, first + n * beat))
  const firstBar = firstBarOf(beats, beatsPerBar, strokes)
  const bars = beats
    .filter((_, i) => i >= firstBar && (i - firstBar) % beatsPerBar === 0)
    .map((at) => ({ seconds: at, bpm: tidyBpm(bpm) }))
  return { bpm, beats, beatsPerBar, firstBar, drift: { percent: 0, bars } }
}

function freeRhythm(
  beats: readonly number[],
  best: Candidate,
  period: Periodicity,
  strokes: readonly Stroke[],
): Rhythm {
  const beatsPerBar = beatsInBar(period, 60 / best.bpm)
  const firstBar = firstBarOf(beats, beatsPerBar, strokes)
  const bars: { seconds: number; bpm: number }[] = []
  for (let i = firstBar; i + beatsPerBar < beats.length; i += beatsPerBar) {
    const at = beats[i] as number
    bars.push({ seconds: at, bpm: tidyBpm((60 * beatsPerBar) / ((beats[i + beatsPerBar] as number) - at)) })
  }
  const span = (beats.at(-1) ?? 0) - (beats[0] ?? 0)
  const bpm = beats.length > 2 ? (60 * (beats.length - 1)) / span : best.bpm
  const mean = bars.reduce((sum, bar) => sum + bar.bpm, 0) / Math.max(1, bars.length)
  const square = bars.reduce((sum, bar) => sum + (bar.bpm - mean) * (bar.bpm - mean), 0) / Math.max(1, bars.length)
  return {
    bpm,
    beats,
    beatsPerBar,
    firstBar,
    drift: { percent: mean > 0 ? (100 * Math.sqrt(square)) / mean : 0, bars },
  }
}

/** how much better than four three has to repeat, and what it is worth that the file is whole bars of either long */
const THREE_BETTER = 0.25
const WHOLE_BARS_SAY = 0.3

/** Four, unless three repeats clearly better. */
function beatsInBar(period: Periodicity, beat: number): number {
  const beats = period.seconds / beat
  if (beats < 5.5) return 4
  const repeats = (n: number) => {
    const one = period.all(n * beat) + period.low(n * beat)
    const fits = Math.abs(beats / n - Math.round(beats / n)) * n * beat < 0.03
    return one + (fits ? WHOLE_BARS_SAY : 0)
  }
  return repeats(3) > repeats(4) + THREE_BETTER ? 3 : 4
}

/** The beat that bars begin at: the file's first, if it begins with a stroke; otherwise where the low strokes are. */
function firstBarOf(beats: readonly number[], beatsPerBar: number, strokes: readonly Stroke[]): number {
  if (beats.length === 0 || (beats[0] as number) < 0.06) return 0
  let best = 0
  let most = -1
  for (let shift = 0; shift < Math.min(beatsPerBar, beats.length); shift++) {
    let score = 0
    for (let i = shift; i < beats.length; i += beatsPerBar) {
      for (const stroke of strokes) {
        if (Math.abs(stroke.seconds - (beats[i] as number)) < 0.03) score += stroke.low + 0.4 * stroke.all
      }
    }
    score /= Math.ceil((beats.length - shift) / beatsPerBar)
    if (score > 1.1 * most) {
      most = score
      best = shift
    }
  }
  return best
}

const isTempo = (bpm: number) => bpm >= TEMPO_RANGE.min && bpm <= TEMPO_RANGE.max
