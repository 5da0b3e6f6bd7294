import { frameCount } from '../audio/block'
import { lowerBound } from '../dsp/search'
import type { Task } from '../task'
import { asOutput } from '../timeline/axes'
import type { AttackPairs } from './attackPairs'
import { type Comparison, originOf } from './comparison'
import { createSpectra, powerBetween, type Spectrum } from './spectra'

/** Windows in seconds, each with its bands to the octave: what is short is told by the first, what is near by the last. */
const RESOLUTIONS = [
  { seconds: 0.0107, perOctave: 3, hops: 2 },
  { seconds: 0.0427, perOctave: 6, hops: 1 },
  { seconds: 0.1707, perOctave: 24, hops: 0.5 },
] as const
const LOWEST_HZ = 50
const HIGHEST_HZ = 16_000
/** what lies this far under the loudest moment of the source is not heard beside it, power */
const GATE = 10 ** -6
const MOST_COLUMNS = 4000
/** how long after an attack its sound may still be heard */
const RINGS_SECONDS = 1
/** a band is struck when it falls faster than this between these moments after an attack */
const STRUCK_DB_PER_SECOND = 40
const FIRST_SECONDS = 0.025
const LATER_SECONDS = 0.18

/**
 * How unlike the source a result is at corresponding moments, dB: mean distance of their log spectra in bands, over three
 * resolutions. It is no kind of harm of its own, since fresh noise is unlike as well, but it tells close results apart.
 *
 * The two are laid on each other by the map, but for bands that an attack strikes: they lie by their attack, and ring on by
 * themselves.
 *
 * @param sizes  window lengths in frames for the three resolutions.
 * @param loudest  power of the loudest column of the source for a window of one frame.
 */
export function* unlikenessOf(
  comparison: Comparison,
  { pairs }: AttackPairs,
  sizes: readonly number[],
  loudest: (size: number) => number,
): Task<number> {
  const { source, result, from } = comparison
  const { sampleRate } = source
  const totalFrames = frameCount(result)
  const found = Float64Array.from(pairs, (pair) => pair.found ?? pair.expected)
  /** where an attack's sound is by itself; ended where the source has the next one by then */
  const ringOf = (n: number, at: number) => {
    const pair = pairs[n] as AttackPairs['pairs'][number]
    const since = at - (found[n] as number)
    if (since > RINGS_SECONDS * sampleRate) return undefined
    const frame = pair.sourceFrame + since
    return { frame, ended: frame > (pairs[n + 1]?.sourceFrame ?? Number.POSITIVE_INFINITY) - 0.02 * sampleRate }
  }
  let sum = 0
  let resolutions = 0
  for (const [n, size] of sizes.entries()) {
    const { perOctave, hops } = RESOLUTIONS[n] as (typeof RESOLUTIONS)[number]
    const binHz = sampleRate / size
    const edges = edgesOf(perOctave, binHz, sampleRate)
    const gate = GATE * loudest(size)
    const readGot = createSpectra(result, size)
    const readWant = createSpectra(source, size)
    const readNatural = createSpectra(source, size)
    const hop = Math.max(Math.round(size * hops), Math.ceil(totalFrames / MOST_COLUMNS))
    const struck = new Map<number, readonly boolean[]>()
    const struckAt = (n: number) => {
      let bands = struck.get(n)
      if (!bands) {
        bands = struckBands(readNatural, pairs, n, edges, sampleRate)
        struck.set(n, bands)
      }
      return bands
    }
    let off = 0
    let cells = 0
    let column = 0
    for (let at = 0; at < totalFrames; at += hop) {
      const near = nearest(found, at)
      const beside = near !== undefined && Math.abs((found[near] as number) - at) < size / 2
      const attack = beside ? near : lastBefore(found, at)
      const rings = attack === undefined ? undefined : ringOf(attack, at)
      const bands = rings && struckAt(attack as number)
      const natural = rings === undefined || rings.ended ? undefined : readNatural(rings.frame)
      const ratio = comparison.pitchRatioAt(asOutput(from + at))
      const formantRatio = comparison.formantRatioAt(asOutput(from + at))
      // where formants part from the pitch, only what is wide keeps its place: theirs
      const apart = Math.abs(formantRatio / ratio - 1) > 0.01
      if (apart && n > 0) continue
      const distance = distanceOf(
        readGot(at),
        readWant(originOf(comparison, at)),
        bands && { bands, natural, alone: beside },
        edges,
        apart ? formantRatio : ratio,
        gate,
      )
      off += distance.off
      cells += distance.cells
      if (column++ % 64 === 63)
        yield { doneFrames: Math.round((totalFrames * (n + at / totalFrames)) / sizes.length), totalFrames }
    }
    if (cells === 0) continue
    sum += off / cells
    resolutions++
  }
  return resolutions > 0 ? sum / resolutions : 0
}

/** The window lengths that `unlikenessOf` takes, as powers of two. */
export const unlikenessSeconds = RESOLUTIONS.map(({ seconds }) => seconds)

function nearest(rising: Float64Array, value: number): number | undefined {
  if (rising.length === 0) return undefined
  const next = Math.min(rising.length - 1, lowerBound(rising, value))
  const before = Math.max(0, next - 1)
  return Math.abs((rising[before] as number) - value) < Math.abs((rising[next] as number) - value) ? before : next
}

/** The last of rising frames at or before one. */
function lastBefore(rising: Float64Array, value: number): number | undefined {
  const next = lowerBound(rising, value + 1)
  return next > 0 ? next - 1 : undefined
}

/** Bands that an attack strikes: they die away by themselves, and a longer time between attacks does not draw them out. */
function struckBands(
  read: (frame: number) => Spectrum,
  pairs: AttackPairs['pairs'],
  n: number,
  edges: readonly number[],
  sampleRate: number,
): readonly boolean[] {
  const { sourceFrame } = pairs[n] as AttackPairs['pairs'][number]
  const next = pairs[n + 1]?.sourceFrame ?? Number.POSITIVE_INFINITY
  const later = Math.min(LATER_SECONDS * sampleRate, next - sourceFrame - 0.03 * sampleRate)
  const first = FIRST_SECONDS * sampleRate
  const bands = (frame: number) => {
    const { below } = read(frame)
    return edges.slice(0, -1).map((edge, b) => powerBetween(below, edge, edges[b + 1] as number))
  }
  const loud = bands(sourceFrame + first)
  const left = bands(sourceFrame + Math.max(later, first + 1))
  const seconds = Math.max(0.01, (later - first) / sampleRate)
  return loud.map(
    (power, b) => (10 * Math.log10((power + 1e-12) / ((left[b] as number) + 1e-12))) / seconds > STRUCK_DB_PER_SECOND,
  )
}

/** Edges in fractional bins, no two closer than one bin. */
function edgesOf(perOctave: number, binHz: number, sampleRate: number): number[] {
  const edges: number[] = []
  for (let hz = LOWEST_HZ; hz < Math.min(HIGHEST_HZ, 0.45 * sampleRate); hz *= 2 ** (1 / perOctave)) {
    const bin = hz / binHz
    if (bin - (edges.at(-1) ?? -1) >= 1) edges.push(bin)
  }
  return edges
}

interface Rings {
  /** which bands are struck */
  readonly bands: readonly boolean[]
  readonly natural: Spectrum | undefined
  /** only they can be compared here */
  readonly alone: boolean
}

function distanceOf(
  got: Spectrum,
  want: Spectrum,
  rings: Rings | undefined,
  edges: readonly number[],
  ratio: number,
  gate: number,
): { off: number; cells: number } {
  const top = 0.92 * got.power.length
  let off = 0
  let cells = 0
  for (let b = 0; b + 1 < edges.length; b++) {
    const low = edges[b] as number
    const high = edges[b + 1] as number
    if (high > top || high * ratio > top) break
    const a = powerBetween(want.below, low, high)
    const g = powerBetween(got.below, low * ratio, high * ratio)
    const level = Math.max(gate, g)
    let wanted = Math.max(gate, a)
    // with an attack inside the window, what is not struck lies neither by the map nor by the attack
    if (rings?.alone && !rings.bands[b]) continue
    if (rings?.bands[b]) {
      // what was struck rings by itself; how, once it must have ended, the source does not tell: no louder than it has it
      wanted = rings.natural ? Math.max(gate, powerBetween(rings.natural.below, low, high)) : Math.min(wanted, level)
    }
    if (g < gate && wanted <= gate) continue
    off += Math.abs(10 * Math.log10(level / wanted))
    cells++
  }
  return { off, cells }
}
