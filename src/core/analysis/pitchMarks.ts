import type { AudioBlock } from '../audio/block'
import { cosTurns, square } from '../dsp/portable'
import { slidingProducts } from '../kernels/slidingProducts'
import { finish } from '../task'
import { mixInSteps } from './mix'
import { hzAt, LEAP, type PitchTrack } from './pitchTrack'

/** One run of cycles: where each begins anew, in fractional source frames, rising; the period is the step to the next. */
export interface VoicedRun {
  readonly from: number
  readonly to: number
  readonly marks: Float64Array
}

/** how much a period may differ from the one before it, as a share */
const PERIOD_PLAY = 0.18
/** runs of fewer steps of the track than this are no voice */
const LEAST_STEPS = 3
/** how far the steps between marks may lie off the track's period, as a ratio */
const TRACK_PLAY = 1.04
/** how far marks may go on beyond the track, and how like the last cycle the next one has to be there */
const MOST_WIDENING_SECONDS = 0.08
const STILL_ALIKE = 0.6
/** how far the expected period counts against the likeness of cycles; where a note sets in or dies they are unlike in level */
const INSIDE_TRUST = 0.02
const BEYOND_TRUST = 2.5

/**
 * The runs of a pitch track in which the sound is periodic, each with a mark in every cycle, found when a run is first asked
 * for. Marks follow the waveform: each lies where the cycle is most like the one before it, to a fraction of a frame.
 */
export function createPitchMarks(source: AudioBlock, track: PitchTrack, attacks: readonly number[] = []) {
  const runs = widen(findRuns(track), attacks, MOST_WIDENING_SECONDS * source.sampleRate)
  const found = new Map<number, VoicedRun>()
  let mix: Float32Array | undefined

  function* find(index: number): Generator<void, VoicedRun, void> {
    const known = found.get(index)
    if (known) return known
    mix ??= yield* mixInSteps(source)
    const span = runs[index] as Span
    const run = { ...span, marks: yield* markRun(mix, source.sampleRate, track, span) }
    found.set(index, run)
    return run
  }

  /** Indices of the runs that reach into source frames `from` up to `to`. */
  function runsWithin(from: number, to: number): number[] {
    return runs.flatMap(({ earliest, latest }, run) => (latest >= from && earliest < to ? [run] : []))
  }

  return {
    /** Index of the run that holds a source frame, or −1. */
    runAt(frame: number): number {
      let low = 0
      let high = runs.length - 1
      while (low <= high) {
        const middle = (low + high) >> 1
        const run = runs[middle] as Span
        if (frame < run.earliest) high = middle - 1
        else if (frame > run.latest) low = middle + 1
        else return middle
      }
      return -1
    },
    run(index: number): VoicedRun {
      return finish(find(index))
    },
    /** Find the marks of all runs that reach into source frames `from` up to `to`, in small steps. */
    *prepare(from: number, to: number): Generator<void> {
      for (const run of runsWithin(from, to)) yield* find(run)
    },
    /** Whether all of those are found already. */
    has: (from: number, to: number): boolean => runsWithin(from, to).every((run) => found.has(run)),
    /**
     * Period at a source frame near mark `n` of a run, in frames: from mark to mark, a little smoothed, since a track read
     * through windows lags behind vibrato; never far from what the track says.
     */
    periodAt(run: VoicedRun, n: number, frame: number): number {
      const { marks } = run
      if (marks.length < 3) return source.sampleRate / hzAt(track, (run.from + run.to) / 2)
      let i = Math.max(0, Math.min(marks.length - 2, n))
      while (i > 0 && frame < middleOf(marks, i)) i--
      while (i < marks.length - 3 && frame >= middleOf(marks, i + 1)) i++
      const from = middleOf(marks, i)
      const to = middleOf(marks, i + 1)
      const share = to > from ? Math.max(0, Math.min(1, (frame - from) / (to - from))) : 0
      const period = smoothStep(marks, i) * (1 - share) + smoothStep(marks, i + 1) * share
      if (frame < run.from || frame > run.to) return period
      const tracked = source.sampleRate / hzAt(track, frame)
      return Math.max(tracked / TRACK_PLAY, Math.min(tracked * TRACK_PLAY, period))
    },
  }
}

type PitchMarks = ReturnType<typeof createPitchMarks>

const known = new WeakMap<PitchTrack, { source: AudioBlock; attacks: string; marks: PitchMarks }>()

/** As `createPitchMarks`; what was found for the same source, track and attacks is found again. */
export function pitchMarksOf(source: AudioBlock, track: PitchTrack, attacks: readonly number[]): PitchMarks {
  const key = attacks.join(' ')
  const before = known.get(track)
  if (before?.source === source && before.attacks === key) return before.marks
  const marks = createPitchMarks(source, track, attacks)
  known.set(track, { source, attacks: key, marks })
  return marks
}

/** The middle between mark `i` and the next. */
const middleOf = (marks: Float64Array, i: number) => {
  const next = Math.min(marks.length - 1, i + 1)
  return ((marks[next - 1] as number) + (marks[next] as number)) / 2
}

/** The step from mark `i` to the next with its neighbours', a quarter each. */
function smoothStep(marks: Float64Array, i: number): number {
  const step = (k: number) => {
    const n = Math.max(0, Math.min(marks.length - 2, k))
    return (marks[n + 1] as number) - (marks[n] as number)
  }
  return 0.25 * step(i - 1) + 0.5 * step(i) + 0.25 * step(i + 1)
}

/** A run as the track has it, and how far its marks may go on beyond that. */
interface Span {
  readonly from: number
  readonly to: number
  readonly earliest: number
  readonly latest: number
}

/** Between two runs the border is the attack there, or the middle. */
function widen(runs: readonly { from: number; to: number }[], attacks: readonly number[], most: number): Span[] {
  return runs.map(({ from, to }, i) => {
    const before = runs[i - 1]?.to ?? Number.NEGATIVE_INFINITY
    const behind = runs[i + 1]?.from ?? Number.POSITIVE_INFINITY
    const slack = most / 4
    const startsAt = attacks.filter((a) => a > before && a < from + slack).at(-1)
    const endsAt = attacks.find((a) => a > to - slack && a < behind + slack && a > from + slack)
    return {
      from,
      to,
      earliest: Math.max(startsAt ?? (Number.isFinite(before) ? (before + from) / 2 : 0), from - most),
      latest: Math.min(endsAt ?? (Number.isFinite(behind) ? (to + behind) / 2 : to + most), to + most),
    }
  })
}

function findRuns(track: PitchTrack): { from: number; to: number }[] {
  const runs: { from: number; to: number }[] = []
  let start = -1
  for (let n = 0; n <= track.hz.length; n++) {
    const hz = track.hz[n] ?? 0
    const before = track.hz[n - 1] ?? 0
    const leaps = hz > 0 && before > 0 && (hz / before > LEAP || before / hz > LEAP)
    if (start >= 0 && (hz === 0 || leaps)) {
      if (n - start >= LEAST_STEPS) {
        runs.push({ from: (start - 0.5) * track.hopFrames, to: (n - 0.5) * track.hopFrames - 1 })
      }
      start = -1
    }
    if (hz > 0 && start < 0) start = n
  }
  return runs
}

/** marks that are found at once: each compares some hundred lags over a period */
const MARKS_AT_ONCE = 4

function* markRun(
  mix: Float32Array,
  sampleRate: number,
  track: PitchTrack,
  span: Span,
): Generator<void, Float64Array, void> {
  const middle = (span.from + span.to) / 2
  const period = sampleRate / hzAt(track, middle)
  // marks go both ways from the middle of the run
  const anchor = burstOf(mix, middle, period)
  function* walk(direction: 1 | -1): Generator<void, number[], void> {
    const marks: number[] = []
    for (let at: number = anchor, step = sampleRate / hzAt(track, at); ; ) {
      const inside = at >= span.from && at <= span.to
      const { place, alike } = nextMark(
        mix,
        at,
        inside ? sampleRate / hzAt(track, at) : step,
        direction,
        inside ? INSIDE_TRUST : BEYOND_TRUST,
      )
      // beyond what the track says, marks go on for as long as the cycles do
      if (place < span.earliest || place > span.latest) break
      if ((place < span.from || place > span.to) && alike < STILL_ALIKE) break
      marks.push(place)
      if (marks.length % MARKS_AT_ONCE === 0) yield
      step = Math.abs(place - at)
      at = place
    }
    return marks
  }
  const before = yield* walk(-1)
  return Float64Array.from([...before.reverse(), anchor, ...(yield* walk(1))])
}

/**
 * Where in the period around a frame the cycle's energy bursts: a pitch-synchronous window around it cuts the cycle where it
 * is quiet, and neighbouring harmonics meet in phase, so that a deeper pitch finds level between them. The difference from
 * frame to frame stands for the signal: what a voice's every cycle starts with is its highs.
 */
function burstOf(mix: Float32Array, middle: number, period: number): number {
  const reach = Math.max(2, Math.round(period / 2))
  const from = Math.round(middle) - 2 * reach
  const energy = Float64Array.from({ length: 4 * reach + 1 }, (_, i) =>
    square((mix[from + i] ?? 0) - (mix[from + i - 1] ?? 0)),
  )
  const window = Float64Array.from({ length: 2 * reach + 1 }, (_, i) => 1 + cosTurns((i - reach) / (2 * reach)))
  const sums = new Float64Array(2 * reach)
  slidingProducts(sums, window, energy)
  const best = sums.reduce((most, sum, n) => (sum > (sums[most] as number) ? n : most), 0)
  return from + reach + best
}

function carefulLikeness(mix: Float32Array, a: number, b: number, count: number): number {
  let dot = 0
  for (let i = 0; i < count; i++) dot += (mix[a + i] ?? 0) * (mix[b + i] ?? 0)
  return dot
}

/** The place about one period on (or back) where the sound is most like it is around `at`. */
function nextMark(
  mix: Float32Array,
  at: number,
  period: number,
  direction: 1 | -1,
  trust: number,
): { place: number; alike: number } {
  const half = Math.max(4, Math.round(period / 2))
  const play = Math.max(2, Math.round(period * PERIOD_PLAY))
  const base = Math.round(at)
  const centre = Math.round(period)
  const energyAt = (frame: number) => square(mix[frame] ?? 0)
  let own = 1e-12
  let other = 1e-12
  const firstLag = direction * (centre - play)
  for (let i = -half; i <= half; i++) {
    own += energyAt(base + i)
    other += energyAt(base + firstLag + i)
  }
  const scores = new Float64Array(2 * play + 1)
  let best = play
  // the first sample of the earliest of the cycles that are compared
  const earliest = base + Math.min(direction * (centre - play), direction * (centre + play)) - half
  const isInside = earliest >= 0 && earliest + 2 * (play + half) < mix.length
  const isWhole = isInside && base >= half && base + half < mix.length
  const dots = new Float64Array(isWhole ? scores.length : 0)
  if (isWhole) slidingProducts(dots, mix.subarray(base - half, base + half + 1), mix.subarray(earliest))
  for (let n = 0; n <= 2 * play; n++) {
    const start = base + direction * (centre + n - play) - half
    // where all cycles lie whole in the sound the sums need no care
    const dot = isWhole ? (dots[start - earliest] as number) : carefulLikeness(mix, base - half, start, 2 * half + 1)
    // among lags that are nearly as good the expected one is right
    scores[n] = dot / Math.sqrt(own * Math.max(1e-12, other)) - trust * square((n - play) / play)
    if ((scores[n] as number) > (scores[best] as number)) best = n
    other +=
      direction > 0
        ? energyAt(start + 2 * half + 1) - energyAt(start)
        : energyAt(start - 1) - energyAt(start + 2 * half)
  }
  let offset = 0
  if (best > 0 && best < 2 * play) {
    const left = scores[best - 1] as number
    const mid = scores[best] as number
    const right = scores[best + 1] as number
    const bend = left - 2 * mid + right
    if (bend < 0) offset = (0.5 * (left - right)) / bend
  }
  return { place: at + direction * (centre + best - play + offset), alike: scores[best] as number }
}
