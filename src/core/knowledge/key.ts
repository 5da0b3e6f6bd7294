import { square } from '../dsp/portable'
import type { Task } from '../task'
import { type Peak, spectralPeaks } from './spectralPeaks'

/** What notes a sound is made of. */
export interface KeyFound {
  /** pitch class of the tonic or the one note, 0 = C … 11 = B */
  readonly root: number
  /** undefined where the sound has no third to tell it by */
  readonly mode: 'major' | 'minor' | undefined
  /** 0–1 */
  readonly confidence: number
  /** how far the sound is tuned over (+) or under A = 440 Hz, −50 to 50 */
  readonly tuningCents: number
  /** lowest strong note of the root's class, Hz */
  readonly rootHz: number
  /** share of each pitch class, sums to 1, `[12]` */
  readonly profile: readonly number[]
}

const WINDOW_SECONDS = 0.34
/** a peak is also heard as harmonic n of a note below; what share of it each n gets */
const HARMONICS = [1, 0.5, 0.3, 0.2, 0.14] as const

/**
 * Temperley 2001, "The Cognition of Basic Musical Structures", revised profiles; minor in its two forms, with the seventh
 * degree raised (his) and not.
 */
const PROFILES = [
  { mode: 'major', degrees: [5.5, 2, 3.5, 2, 4.5, 4, 2, 4.5, 2, 3.5, 1.5, 4] },
  { mode: 'minor', degrees: [5.5, 2, 3.5, 4.5, 2, 4, 2, 4.5, 3.5, 2, 1.5, 4] },
  { mode: 'minor', degrees: [5.5, 2, 3.5, 4.5, 2, 4, 2, 4.5, 3.5, 2, 3.5, 1.5] },
] as const

/**
 * Root, key and tuning from the peaks of long spectra.
 * Units  `samples` at `sampleRate` Hz, mono; no more than 5 kHz of it is used.
 * Source  Gómez 2006, "Tonal Description of Polyphonic Audio", for the profile with its harmonics; Temperley 2001 for the
 *         keys' profiles; tuning by the circular mean of the peaks' places between semitones.
 */
export function* findKey(samples: Float32Array, sampleRate: number): Task<KeyFound | undefined> {
  const columns = yield* spectralPeaks(samples, sampleRate, WINDOW_SECONDS)
  const tuningCents = tuningOf(columns)
  const profile = new Float64Array(12)
  const low = new Map<number, number>()
  const bass: number[] = []
  for (const peaks of columns) {
    const own = new Float64Array(12)
    let most = 0
    for (const { hz, level } of peaks) {
      HARMONICS.forEach((share, n) => {
        const midi = 69 + 12 * Math.log2(hz / (n + 1) / 440) - tuningCents / 100
        if (midi < 23) return
        const nearest = Math.round(midi)
        const off = Math.abs(midi - nearest)
        const weight = share * level * square(Math.cos(Math.PI * off))
        const pc = ((nearest % 12) + 12) % 12
        own[pc] = (own[pc] as number) + weight
        most = Math.max(most, own[pc] as number)
        if (n === 0) low.set(nearest, (low.get(nearest) ?? 0) + level)
      })
    }
    if (most === 0) continue
    const loudest = peaks.reduce((m, { level }) => Math.max(m, level), 0)
    const lowest = peaks.find(({ level }) => level > 0.25 * loudest)
    if (lowest) bass.push(((Math.round(69 + 12 * Math.log2(lowest.hz / 440) - tuningCents / 100) % 12) + 12) % 12)
    for (let pc = 0; pc < 12; pc++) profile[pc] = (profile[pc] as number) + (own[pc] as number)
  }
  if (bass.length === 0) return undefined
  const total = profile.reduce((sum, value) => sum + value, 0)
  const shares = [...profile].map((value) => value / total)
  const { root, mode, confidence } = bestKey(shares, bass)
  return { root, mode, confidence, tuningCents, rootHz: lowestHz(root, low, tuningCents), profile: shares }
}

function tuningOf(columns: readonly Peak[][]): number {
  let re = 0
  let im = 0
  for (const peaks of columns) {
    for (const { hz, level } of peaks) {
      const semitones = 12 * Math.log2(hz / 440)
      re += level * Math.cos(2 * Math.PI * semitones)
      im += level * Math.sin(2 * Math.PI * semitones)
    }
  }
  return re === 0 && im === 0 ? 0 : (100 * Math.atan2(im, re)) / (2 * Math.PI)
}

/** share of a sound at either end in which people come from home and go back to it */
const HOME = 0.12
const BASS_SAYS = 0.12
const ENDS_SAY = 0.1

function bestKey(
  shares: readonly number[],
  bass: readonly number[],
): { root: number; mode: KeyFound['mode']; confidence: number } {
  const scores: { root: number; mode: 'major' | 'minor'; score: number }[] = []
  const home = Math.max(1, Math.round(HOME * bass.length))
  const of = (notes: readonly number[], root: number) => notes.filter((note) => note === root).length / notes.length
  const ends = [...bass.slice(0, home), ...bass.slice(-home)]
  for (let root = 0; root < 12; root++) {
    const own = BASS_SAYS * of(bass, root) + ENDS_SAY * of(ends, root)
    const turned = shares.map((_, i) => shares[(i + root) % 12] as number)
    for (const { mode, degrees } of PROFILES) scores.push({ root, mode, score: correlation(turned, degrees) + own })
  }
  scores.sort((a, b) => b.score - a.score)
  const best = scores[0] as (typeof scores)[0]
  const second = scores.find(({ root, mode }) => root !== best.root || mode !== best.mode) as typeof best
  const strongest = shares.indexOf(Math.max(...shares))
  const sorted = [...shares].sort((a, b) => b - a)
  // one note and its harmonics: there is no key to tell, only the note
  if ((sorted[0] as number) > 0.4 && (sorted[1] as number) < 0.42 * (sorted[0] as number)) {
    return { root: strongest, mode: undefined, confidence: Math.min(1, 1.4 * (sorted[0] as number)) }
  }
  const clear = Math.min(1, Math.max(0, (best.score - 0.5) / 0.35))
  const margin = Math.min(1, Math.max(0, (best.score - second.score) / 0.12))
  return { root: best.root, mode: best.mode, confidence: clear * (0.45 + 0.55 * margin) }
}

function correlation(a: readonly number[], b: readonly number[]): number {
  const meanA = a.reduce((s, v) => s + v, 0) / a.length
  const meanB = b.reduce((s, v) => s + v, 0) / b.length
  let ab = 0
  let aa = 0
  let bb = 0
  for (let i = 0; i < a.length; i++) {
    const x = (a[i] as number) - meanA
    const y = (b[i] as number) - meanB
    ab += x * y
    aa += x * x
    bb += y * y
  }
  return aa > 0 && bb > 0 ? ab / Math.sqrt(aa * bb) : 0
}

function lowestHz(root: number, low: ReadonlyMap<number, number>, tuningCents: number): number {
  const own = [...low].filter(([midi]) => ((midi % 12) + 12) % 12 === root).sort((a, b) => a[0] - b[0])
  const most = own.reduce((m, [, level]) => Math.max(m, level), 0)
  const found = own.find(([, level]) => level >= 0.2 * most)
  const midi = found ? found[0] : 48 + root
  return 440 * 2 ** ((midi - 69 + tuningCents / 100) / 12)
}
