import type { Levels } from '../audio/soundSource'
import type { SpeedPoint } from './speedCurve'

/**
 * Speech is brought to a length by its pauses first: what is said stays as natural as it can. All in frames.
 */

export interface Pause {
  readonly start: number
  readonly end: number
}

/** a pause is so far below what is loud, dB, and no more than so far above what is quiet */
const BELOW_LOUD_DB = 32
const ABOVE_QUIET_DB = 8
/** shorter ones belong to what is said: stops and breaths between syllables */
const LEAST_PAUSE_SECONDS = 0.14
/** what dies away after it, and what begins before it, is left to what is said */
const KEPT_SECONDS = 0.03

const dbOf = (energy: number) => 10 * Math.log10(energy + 1e-12)

/** Where nothing is said, from how loud a sound is in steps. */
export function pausesOf(
  { stepFrames, energies }: Pick<Levels, 'stepFrames' | 'energies'>,
  sampleRate: number,
): Pause[] {
  const levels = Array.from(energies, (energy) => dbOf(energy / stepFrames))
  const sorted = [...levels].sort((a, b) => a - b)
  const loud = sorted[Math.floor(0.95 * (sorted.length - 1))] ?? 0
  const quiet = sorted[Math.floor(0.05 * (sorted.length - 1))] ?? 0
  const limit = Math.max(loud - BELOW_LOUD_DB, Math.min(quiet + ABOVE_QUIET_DB, loud - BELOW_LOUD_DB / 2))
  const kept = Math.round(KEPT_SECONDS * sampleRate)
  const pauses: Pause[] = []
  for (let n = 0; n < levels.length; n++) {
    if ((levels[n] as number) > limit) continue
    const first = n
    while (n + 1 < levels.length && (levels[n + 1] as number) <= limit) n++
    const pause = { start: first * stepFrames + (first > 0 ? kept : 0), end: (n + 1) * stepFrames - kept }
    if (pause.end - pause.start >= (LEAST_PAUSE_SECONDS - 2 * KEPT_SECONDS) * sampleRate) pauses.push(pause)
  }
  return pauses
}

/** How a sound fills a slot: the speed of each part of it, and how far words and pauses are stretched. */
export interface Filled {
  /** of a speed curve over the source */
  readonly points: readonly SpeedPoint[]
  /** result ÷ source, of what is said, and of the pauses; 1 for pauses where there are none */
  readonly words: number
  readonly pauses: number
}

/** how far pauses give way before words do: shorter than this they run words together, longer they tear a line apart */
export const PAUSE_RANGE = { min: 0.4, max: 2.5 } as const

/**
 * Bring a sound to a length: by its pauses as far as `PAUSE_RANGE`, the rest by what is said. The result has exactly so
 * many frames.
 * @param pauses  rising, within the sound.
 */
export function fillByPauses(pauses: readonly Pause[], frames: number, slotFrames: number, sampleRate: number): Filled {
  const silent = pauses.reduce((sum, { start, end }) => sum + end - start, 0)
  const said = frames - silent
  const wanted = silent > 0 ? (slotFrames - said) / silent : 1
  const pauseRatio = said > 0 ? Math.min(PAUSE_RANGE.max, Math.max(PAUSE_RANGE.min, wanted)) : wanted
  const wordRatio = said > 0 ? (slotFrames - silent * pauseRatio) / said : 1
  // edges lie on whole frames of both, so that words at their own speed stay the very samples
  const runs = runsOf(pauses, frames)
  const points: SpeedPoint[] = []
  let output = 0
  let exact = 0
  runs.forEach(({ start, end, isPause }, n) => {
    exact += (end - start) * (isPause ? pauseRatio : wordRatio)
    const next = n === runs.length - 1 ? slotFrames : Math.max(output + 1, Math.round(exact))
    const percent = (100 * (end - start)) / (next - output)
    points.push({ seconds: start / sampleRate, percent }, { seconds: end / sampleRate, percent })
    output = next
  })
  return { points, words: wordRatio, pauses: pauseRatio }
}

function runsOf(pauses: readonly Pause[], frames: number) {
  const runs: { start: number; end: number; isPause: boolean }[] = []
  let at = 0
  for (const { start, end } of pauses) {
    if (start > at) runs.push({ start: at, end: start, isPause: false })
    if (end > start) runs.push({ start, end, isPause: true })
    at = end
  }
  if (at < frames) runs.push({ start: at, end: frames, isPause: false })
  return runs
}
