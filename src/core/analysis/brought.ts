import { type AudioBlock, frameCount } from '../audio/block'
import { exp, square } from '../dsp/portable'
import { lowerBound } from '../dsp/search'
import { keepLeast } from '../dsp/spectra'
import { columnReader } from '../kernels/columns'

/** what an attack brings is over by then, whatever it is; it fades from a little before */
export const BROUGHT_SECONDS = 0.7
const BODY_SECONDS = 0.6
/** what has been there for so long behind an attack has become a partial, if it is one */
export const SETTLED_SECONDS = 0.14
/** and up to here nothing tells whether it is */
const UNSETTLED_SECONDS = 0.06
/** what an attack brings tops by this much, power, the least that was there in its gap and those shortly before it */
const LIFTED = 1.6
const FLOOR_REACH_SECONDS = 1
/** a level is looked for over spans of this length, from this share of the gap on */
const FLOOR_SECONDS = 0.025
const FLOOR_SHARE = 0.3
/** the least of several levels of one noise lies about this much below it, power */
const LEAST_OF_ALL = 1.5
/** once it has settled, what an attack brings dies away at least so fast from what is there right behind it */
const DIES_DB_PER_SECOND = 80
const STARTS_SECONDS = [0.02, 0.06] as const
/** columns to either side over which a level is taken, and the least bins of a band */
export const LEVEL_REACH = 2
const LEAST_BINS = 8

/** What attacks bring to a sound that goes on under them, told in short columns by its level over time. */
export interface Brought {
  /**
   * Raise the shares of a column's bins, each up to what of it an attack brought: a tail, and all that has not settled.
   * @param around  magnitudes of the column around frame `centre` and of `LEVEL_REACH` to either side.
   */
  raise(shares: Float64Array, centre: number, around: readonly Float32Array[]): void
  /** What columns over these frames will ask for: the spans that are looked at, and each look, to be done before. */
  asks(from: number, to: number): { readonly from: number; readonly to: number; look(): void }[]
}

interface Looks {
  /** frames of a short column */
  readonly length: number
  /** frames before an attack that are its own already */
  readonly lead: number
  /** so far before an attack partials are held down, and left in the sound */
  readonly heldDown: number
  /** makes a span of the sound right */
  ready(from: number, to: number): void
}

/**
 * The floor behind an attack is the least that is there late in its gap, or in one shortly before, in bands of half an
 * octave. What tops it is the attack's, so far as it dies away; what holds its level, as a vowel does, is not.
 * @param sound  what is left of a source without its partials.
 * @param attacks  its frames, rising.
 */
export function createBrought(
  sound: AudioBlock,
  attacks: readonly number[],
  { length, lead, heldDown, ready }: Looks,
): Brought {
  const { sampleRate, channels } = sound
  const frames = frameCount(sound)
  const hop = length / 2
  const body = BODY_SECONDS * sampleRate
  const gone = BROUGHT_SECONDS * sampleRate
  const settled = SETTLED_SECONDS * sampleRate
  const unsettledUpTo = UNSETTLED_SECONDS * sampleRate
  const reach = FLOOR_REACH_SECONDS * sampleRate
  const edges = halfOctaves(length / 2)
  const bands = edges.length - 1
  const reader = columnReader(length)
  const powers = new Float32Array(length / 2 + 1)
  const levels = new Float64Array(bands)
  const floors = new Map<number, Float64Array>()
  const leasts = new Map<number, Float64Array>()
  const starts = new Map<number, Float64Array>()

  const attackAt = (n: number) => attacks[n] as number
  const nextOf = (n: number) => Math.min(attacks[n + 1] ?? frames, attackAt(n) + body, frames)

  /** Mean power of a bin in each band, over some columns. */
  function levelsFrom(start: number, columns: number): Float64Array {
    const sum = new Float64Array(bands)
    ready(start, start + (columns - 1) * hop + length)
    for (let column = 0; column < columns; column++) {
      const at = start + column * hop
      for (let c = 0; c < channels.length; c += 2) {
        reader.power(powers, channels[c] as Float32Array, at, channels[c + 1], at)
        addBandMeans(sum, powers, edges)
      }
    }
    // the reader gives four times the power
    return sum.map((of) => of / (4 * columns))
  }

  function kept(of: Map<number, Float64Array>, n: number, look: () => Float64Array): Float64Array {
    const known = of.get(n) ?? look()
    of.set(n, known)
    return known
  }

  /** What is there right behind an attack. */
  const startOf = (n: number) =>
    kept(starts, n, () => {
      const [from, to] = STARTS_SECONDS.map((seconds) => seconds * sampleRate) as [number, number]
      return levelsFrom(Math.round(attackAt(n) + from), Math.max(1, Math.round((to - from) / hop) - 1))
    })

  /** The least that is there late in the gap behind an attack; endless where it is too short to tell. */
  const ownFloor = (n: number) =>
    kept(floors, n, () => {
      const floor = new Float64Array(bands).fill(Number.POSITIVE_INFINITY)
      const columns = Math.max(1, Math.round((FLOOR_SECONDS * sampleRate) / hop))
      const next = nextOf(n)
      const last = next - lead - length
      let start = Math.round(attackAt(n) + Math.max(settled, FLOOR_SHARE * (next - attackAt(n))))
      for (; start + (columns - 1) * hop <= last; start += columns * hop) {
        const level = levelsFrom(start, columns)
        keepLeast(
          floor,
          level.map((of) => LEAST_OF_ALL * of),
        )
      }
      return floor
    })

  /** The least of that and of the gaps shortly before. */
  const floorBehind = (n: number) =>
    kept(leasts, n, () => {
      const least = ownFloor(n).slice()
      for (let m = n - 1; m >= 0 && attackAt(m) >= attackAt(n) - reach; m--) keepLeast(least, ownFloor(m))
      // where strokes come too fast to hear what is between them, all is theirs
      return least[0] === Number.POSITIVE_INFINITY ? least.fill(0) : least
    })

  return {
    raise(shares, centre, around) {
      const n = lowerBound(attacks, centre + lead) - 1
      const since = n < 0 ? gone : centre - attackAt(n)
      if (since >= gone) return
      // a tone that has just begun is no partial yet, and no noise either
      const unsettled = Math.max(0, Math.min(1, (settled - since) / (settled - unsettledUpTo)))
      if (unsettled === 1) {
        shares.fill(1)
        return
      }
      const fade = since <= body ? 1 : (gone - since) / (gone - body)
      const floor = floorBehind(n)
      const start = startOf(n)
      // right before the next attack partials were held down: what is left of them is no noise
      const isNearNext = (attacks[n + 1] ?? Number.POSITIVE_INFINITY) - centre < heldDown
      const fallen = isNearNext
        ? Number.POSITIVE_INFINITY
        : exp((-DIES_DB_PER_SECOND / 10) * Math.LN10 * Math.max(0, (since - settled) / sampleRate))
      powers.fill(0)
      for (const magnitudes of around)
        for (let b = 0; b < powers.length; b++)
          powers[b] = (powers[b] as number) + square(magnitudes[b] as number) / around.length
      levels.fill(0)
      addBandMeans(levels, powers, edges)
      for (let band = 0; band < bands; band++) {
        const level = (levels[band] as number) + 1e-20
        const brought = Math.min(level - LIFTED * (floor[band] as number), fallen * (start[band] as number))
        const own = Math.max(unsettled, fade * Math.sqrt(Math.max(0, brought / level)))
        // powers of the two add up where shares of amplitudes do
        const share = own / (own + Math.sqrt(1 - own * own))
        for (let b = edges[band] as number; b < (edges[band + 1] as number); b++)
          if (share > (shares[b] as number)) shares[b] = share
      }
    },

    asks(from, to) {
      const first = Math.max(0, lowerBound(attacks, from) - 1)
      const end = lowerBound(attacks, to + lead)
      return Array.from({ length: Math.max(0, end - first) }, (_, k) => first + k).map((n) => ({
        from: attackAt(n) - reach,
        to: nextOf(n),
        look() {
          floorBehind(n)
          startOf(n)
        },
      }))
    },
  }
}

/** Edges of bands of half an octave, in bins, none narrower than some. */
function halfOctaves(bins: number): number[] {
  const edges = [0]
  for (let edge = LEAST_BINS; edge < bins; edge = Math.max(edge + LEAST_BINS, Math.round(edge * Math.SQRT2)))
    edges.push(edge)
  return [...edges, bins + 1]
}

/** Add the mean of the bins of each band. */
function addBandMeans(out: Float64Array, of: Float32Array, edges: readonly number[]) {
  for (let band = 0; band < out.length; band++) {
    let sum = 0
    const from = edges[band] as number
    const to = edges[band + 1] as number
    for (let b = from; b < to; b++) sum += of[b] as number
    out[band] = (out[band] as number) + sum / (to - from)
  }
}
