import { type AudioBlock, frameCount } from '../audio/block'
import { lowerBound } from '../dsp/search'
import { nearestPowerOfTwo } from '../dsp/units'
import type { Task } from '../task'
import { asOutput } from '../timeline/axes'
import { atSourcePitch, NEAR_OCTAVES } from './atSourcePitch'
import type { AttackPairs } from './attackPairs'
import { type Comparison, innerOf, originOf } from './comparison'
import type { SourceReading } from './sourceReading'
import { createSpectra, firstStrong, powerBetween, type Spectrum } from './spectra'

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
/** what lies that far under its neighbours within this much of an octave is not heard beside them, power */
const MASKED = 10 ** -3
const MASKED_OCTAVES = 1 / 3
const MOST_COLUMNS = 4000
/** how long after an attack its sound may still be heard */
const RINGS_SECONDS = 4
/** around an attack, where the shortest windows are asked: elsewhere they would follow single periods of a low tone */
const BEFORE_ATTACK_SECONDS = 0.02
const AFTER_ATTACK_SECONDS = 0.08
/** a band is struck when it falls faster than this between these moments after an attack */
const STRUCK_DB_PER_SECOND = 40
/** what falls so fast is never drawn out: where the source has no more of it, it can only be softer than it was last */
const DIES_DB_PER_SECOND = 80
/** what falls by so much more than it does by itself is ended by someone, dB; and how far it may fall by itself */
const ENDED_DB = 15
const MOST_BY_ITSELF_DB = 20
const FIRST_SECONDS = 0.025
const LATER_SECONDS = 0.18
/**
 * but not when what begins there holds its level and only then ends, or moves on to other pitches: a call is no knock.
 * It is looked at this often on the way, against what was there before the attack, over so many octaves to either side
 */
const LOOKS = 10
const HOLDS_OCTAVES = 1
/** it has died away at this share of its most: what does so evenly has lost 0.6 of it, in dB, after 0.6 of the time */
const DIED_AWAY = 0.1
const HOLDS_UNTIL = 0.6
const HOLDS_SHARE = 0.3
/** what an attack brings is less than this of what was there before, where it is but the end of that */
const ENDS_SHARE = 0.5
/** what rises so far again while it falls, and not from far down, comes in pulses: at another pitch at other moments */
const PULSED = 10
const PULSED_FROM = 10 ** -3
/** of the power of all bands that fall, at least so much has to hold */
const CALL_SHARE = 0.5
/** what goes on under attacks is told up to this pace: beyond, what moves lies far from both map and attacks */
const MOST_DRAWN = Math.SQRT2
/** the source is read in windows of so many frames at least */
const LEAST_DRAWN = 128
/** below this the window that tells struck bands is a longer one, Hz */
const LOW_HZ = 300

/**
 * How unlike the source a result is at corresponding moments, dB: mean distance of their log spectra in bands, over three
 * resolutions. It is no kind of harm of its own, since fresh noise is unlike as well, but it tells close results apart.
 *
 * The two are laid on each other by the map, but for bands that an attack strikes: they lie by their attack, and ring on by
 * themselves. What goes on under attacks may have any level there that it has by the map or beside one of them.
 *
 * @param sizes  window lengths in frames for the three resolutions.
 * @param reading  of the source.
 */
export function* unlikenessOf(
  comparison: Comparison,
  { pairs }: AttackPairs,
  sizes: readonly number[],
  reading: Pick<SourceReading, 'loudest' | 'struck'>,
): Task<number> {
  const { source, result, from } = comparison
  const back = atSourcePitch(comparison)
  const { sampleRate } = source
  const totalFrames = frameCount(result)
  const inner = innerOf(comparison)
  const found = Float64Array.from(pairs, (pair) => pair.found ?? pair.expected)
  /**
   * Where an attack's sound is by itself. It has ended where the source has the next one in the window by then. It is
   * told where it was last by itself, if it ever was.
   */
  const ringOf = (n: number, at: number, size: number) => {
    const { sourceFrame } = pairs[n] as AttackPairs['pairs'][number]
    const since = at - (found[n] as number)
    if (since > RINGS_SECONDS * sampleRate) return undefined
    const last = (pairs[n + 1]?.sourceFrame ?? Number.POSITIVE_INFINITY) - size / 2
    const ended = sourceFrame + since > last
    return { frame: ended ? last : sourceFrame + since, ended, known: !ended || last > sourceFrame + size / 2 }
  }
  /** whether a window of this length says something here that others do not say better */
  const tells = (n: number, at: number, near: number | undefined, size: number) => {
    if (near === undefined) return n > 0
    const since = at - (found[near] as number)
    if (n === 0) return since > -BEFORE_ATTACK_SECONDS * sampleRate && since < AFTER_ATTACK_SECONDS * sampleRate
    const inside = (attack: number) => Math.abs((found[attack] ?? Number.POSITIVE_INFINITY) - at) < size / 2
    if (n > 1) return !inside(near)
    // two attacks in one window lie farther apart, or nearer, than in the source
    return !(inside(near - 1) && inside(near)) && !(inside(near) && inside(near + 1))
  }
  const sources = Float64Array.from(pairs, (pair) => pair.sourceFrame)
  const attackInside = (frame: number, size: number) => {
    const near = nearest(sources, frame)
    return near !== undefined && Math.abs((sources[near] as number) - frame) < size / 2
  }
  /** the attacks in a window of the result; none where that of the source holds others, or all goes at another pace */
  const attacksInside = (at: number, origin: number, size: number): readonly number[] => {
    const first = lowerBound(found, at - size / 2)
    const end = lowerBound(found, at + size / 2)
    if (first !== lowerBound(sources, origin - size / 2) || end !== lowerBound(sources, origin + size / 2)) return []
    const frames = framesOf(comparison, at, size)
    if (!(frames < MOST_DRAWN * size && frames > size / MOST_DRAWN)) return []
    return Array.from({ length: end - first }, (_, n) => first + n)
  }
  const isMoved = Math.abs(Math.log2(comparison.pitchRatioAt(asOutput(from)))) > NEAR_OCTAVES
  let sum = 0
  let resolutions = 0
  const staysApart = areApart(comparison, from)
  for (const [n, own] of sizes.entries()) {
    const { perOctave, hops } = RESOLUTIONS[n] as (typeof RESOLUTIONS)[number]
    // where formants stay, pulses come at other moments: around attacks too a window holds several of them
    const longer = staysApart && n === 0 ? (sizes[1] as number) / own : 1
    const size = longer * own
    const binHz = sampleRate / size
    const edges = edgesOf(perOctave, binHz, sampleRate)
    const gate = GATE * reading.loudest(size)
    const readGot = createSpectra(result, size)
    const readWant = createSpectra(source, size)
    const readBack = back && createSpectra(back.audio, size)
    const readNatural = createSpectra(source, size)
    const readUnder = createSpectra(source, size)
    const readDrawn = readersOf(source)
    const readers = [sizes[0] as number, sizes[1] as number].map((frames) => ({
      read: createSpectra(source, frames),
      bins: frames / size,
    }))
    const hop = Math.max(Math.round(own * hops), Math.ceil(totalFrames / MOST_COLUMNS))
    // what strokes bring is the source's alone: known from one result to the next
    const evenly = n === 0 && isMoved
    const asked = `${n} ${size} ${evenly} ${sources.join(' ')}`
    const struck = reading.struck.get(asked) ?? new Map<number, readonly number[]>()
    reading.struck.set(asked, struck)
    const struckAt = (n: number): readonly number[] => {
      let bands = struck.get(n)
      if (!bands) {
        bands = struckBands(readers, pairs, n, edges, binHz, sampleRate, evenly, () =>
          n > 0 ? struckAt(n - 1) : undefined,
        )
        struck.set(n, bands)
      }
      return bands
    }
    let off = 0
    let cells = 0
    let column = 0
    for (let at = inner.start; at < inner.end; at += hop) {
      const near = nearest(found, at)
      const beside = near !== undefined && Math.abs((found[near] as number) - at) < size / 2
      const origin = originOf(comparison, at)
      const under = n > 0 ? attacksInside(at, origin, size) : []
      const tellsStruck = tells(n, at, near, size)
      if (!tellsStruck && under.length === 0) continue
      const attack = beside ? near : lastBefore(found, at)
      const rings = attack === undefined ? undefined : ringOf(attack, at, size)
      const bands = tellsStruck ? rings && struckAt(attack as number) : anyOf(under.map(struckAt))
      const natural = tellsStruck && rings?.known ? readNatural(rings.frame) : undefined
      const ratio = comparison.pitchRatioAt(asOutput(from + at))
      const formantRatio = comparison.formantRatioAt(asOutput(from + at))
      // where formants part from the pitch, only what is wide keeps its place: theirs
      const apart = areApart(comparison, from + at)
      if (apart && n > 0) continue
      const got = readGot(at)
      const about = {
        rings: {
          bands,
          natural,
          apartSeconds: rings ? Math.abs(origin - rings.frame) / sampleRate : 0,
          ended: rings?.ended ?? false,
          tellsStruck,
          apart: n === 0 || beside || attackInside(origin, size),
          under: under.map((k) => readUnder((sources[k] as number) + at - (found[k] as number))),
        },
        edges,
        ratio: apart ? formantRatio : ratio,
        gate,
        masked: Math.max(1, Math.round(MASKED_OCTAVES * perOctave)),
      }
      const wants: Wanted[] = [{ spectrum: readWant(origin), bins: 1, gain: 1 }]
      // what moves is drawn out with all else: a window holds another part of its way than in the source
      const drawn = n === 0 || beside ? size : drawnSize(comparison, at, size)
      if (drawn !== size)
        wants.push({ spectrum: readDrawn(drawn)(origin), bins: drawn / size, gain: (size / drawn) ** 2 })
      // partials that stand are told apart as in the source at its own pitch, what moves at the speed that it has
      const steady = back && readBack && n > 0 ? readBack(at * back.ratio) : undefined
      const gots: Got[] = [{ own: got, steady: undefined, struckToo: false }]
      if (steady) gots.push({ own: got, steady, struckToo: false })
      if (steady && bands?.some(Boolean)) gots.push({ own: got, steady, struckToo: true })
      let distance: Distance | undefined
      for (const want of wants) {
        for (const heard of gots) {
          const other = distanceOf(heard, want, about)
          if (!distance || meanOf(other) < meanOf(distance)) distance = other
        }
      }
      if (!distance) continue
      off += distance.off
      cells += distance.cells
      if (column++ % 64 === 63)
        yield { doneFrames: Math.round((totalFrames * (n + at / totalFrames)) / sizes.length), totalFrames }
    }
    if (n === 0) {
      const shortEdges = longer === 1 ? edges : edgesOf(perOctave, sampleRate / own, sampleRate)
      // a band of the short windows is struck where the one is that it begins in
      const bandAt = shortEdges.map((edge) => edges.findLastIndex((other) => other <= longer * edge))
      const struckShort = (attack: number) => {
        const struck = struckAt(attack)
        return longer === 1 ? struck : bandAt.map((band) => struck[band] ?? 0)
      }
      const fine = yield* fineStructure(
        comparison,
        back,
        found,
        sources,
        struckShort,
        own,
        shortEdges,
        gate,
        totalFrames,
      )
      off += fine.off
      cells += fine.cells
    }
    if (cells === 0) continue
    sum += off / cells
    resolutions++
  }
  return resolutions > 0 ? sum / resolutions : 0
}

/** columns in a run, and how many of a window's length they lie apart */
const RUN = 8
/** so many bands are told as one where formants stay: one alone has a partial more or less by chance */
const APART_BANDS = 3
const RUN_HOPS = 0.5
/** so many times longer are windows at most where pulses lie farther apart */
const LEAST_RATIO = 0.25

/**
 * Away from attacks: what levels the short windows find within a few hundredths of a second, in whichever order. A low voice is a row of pulses, and a method that
 * lays their partials out of step loses them; where exactly a pulse lies is of no account.
 */
function* fineStructure(
  comparison: Comparison,
  back: ReturnType<typeof atSourcePitch>,
  found: Float64Array,
  sources: Float64Array,
  struckAt: (attack: number) => readonly number[],
  size: number,
  edges: readonly number[],
  gate: number,
  totalFrames: number,
): Task<{ off: number; cells: number }> {
  const { source, result, from } = comparison
  const readGot = readersOf(result)
  const readBack = back && createSpectra(back.audio, size)
  const readWant = readersOf(source)
  const length = RUN * RUN_HOPS * size
  const step = Math.max(2 * length, Math.ceil((RUN * totalFrames) / MOST_COLUMNS))
  const clear = (attacks: Float64Array, middle: number, frames: number) => {
    const reach = (RUN * RUN_HOPS * frames) / 2 + frames
    return !((attacks[lowerBound(attacks, middle - reach)] as number) < middle + reach)
  }
  const wants = Array.from({ length: edges.length - 1 }, () => new Float64Array(RUN))
  const levels = Array.from({ length: edges.length - 1 }, () => new Float64Array(RUN))
  let off = 0
  let cells = 0
  let runs = 0
  const inner = innerOf(comparison)
  for (let at = inner.start; at + length < inner.end; at += step) {
    const middle = at + length / 2
    const origin = originOf(comparison, middle)
    const pitchRatio = comparison.pitchRatioAt(asOutput(from + at))
    const formantRatio = comparison.formantRatioAt(asOutput(from + at))
    const apart = areApart(comparison, from + at)
    const ratio = apart ? formantRatio : pitchRatio
    const each = apart ? APART_BANDS : 1
    // where formants stay, pulses of a lower pitch lie farther apart: windows of both hold as many of them
    const framesFor = (ratio: number) =>
      apart && ratio < 1 ? nearestPowerOfTwo(size / Math.max(LEAST_RATIO, ratio), size) : size
    const frames = framesFor(pitchRatio)
    const sourceFrames = framesFor(1 / pitchRatio)
    if (!clear(found, middle, frames) || !clear(sources, origin, sourceFrames)) continue
    const attack = lastBefore(found, at)
    // what was struck dies away by itself
    const struck = attack === undefined ? undefined : struckAt(attack)
    let bands = 0
    const look = (
      into: readonly Float64Array[],
      read: (frame: number) => Spectrum,
      middle: number,
      { scale = 1, frames = size } = {},
    ) => {
      const hop = RUN_HOPS * frames
      const bins = frames / size
      for (let n = 0; n < RUN; n++) {
        const { power, below } = read(middle + (n - RUN / 2) * hop)
        const top = (0.92 * power.length) / bins
        for (bands = 0; (bands + 1) * each < edges.length; bands++) {
          const low = edges[bands * each] as number
          const high = edges[(bands + 1) * each] as number
          if (high > top || high * ratio > top) break
          const found = powerBetween(below, low * scale * bins, high * scale * bins) / (bins * bins)
          ;(into[bands] as Float64Array)[n] = Math.max(gate, found)
        }
      }
      for (let b = 0; b < bands; b++) (into[b] as Float64Array).sort()
    }
    look(wants, readWant(sourceFrames), origin, { frames: sourceFrames })
    look(levels, readGot(frames), middle, { scale: ratio, frames })
    // where formants stay, what lies below the lowest partial of either says nothing
    const first = apart ? Math.max(firstTold(levels, bands), firstTold(wants, bands)) : 0
    const farAt = (gain: number): Distance => {
      let far = 0
      let told = 0
      for (let b = first; b < bands; b++) {
        if (struck?.[b * each]) continue
        const got = levels[b] as Float64Array
        const want = wants[b] as Float64Array
        const floor = Math.max(gate, MASKED * Math.max(got[RUN - 1] as number, want[RUN - 1] as number))
        if ((got[RUN - 1] as number) <= gate && (want[RUN - 1] as number) <= gate) continue
        for (let n = 0; n < RUN; n++) {
          const wanted = Math.max(floor, gain * (want[n] as number))
          far += Math.abs(10 * Math.log10(Math.max(floor, got[n] as number) / wanted)) / RUN
        }
        told++
      }
      return { off: far, cells: told }
    }
    let least = farAt(1)
    // in formants that stay there are as many fewer partials as they lie farther apart; of noise there is as much
    if (apart) {
      const other = farAt(formantRatio / pitchRatio)
      if (other.off < least.off) least = other
    }
    // pulses come as often as in the source at its own pitch
    if (readBack && back) {
      look(levels, readBack, middle * back.ratio)
      const other = farAt(1)
      if (other.off < least.off) least = other
    }
    off += least.off
    cells += least.cells
    if (runs++ % 16 === 15) yield { doneFrames: Math.round(at / 3), totalFrames }
  }
  return { off, cells }
}

/** Whether formants lie elsewhere than the pitch took them, at a frame of the result. */
function areApart({ formantRatioAt, pitchRatioAt }: Comparison, frame: number): boolean {
  const at = asOutput(frame)
  return Math.abs(formantRatioAt(at) / pitchRatioAt(at) - 1) > 0.01
}

/** Reads a sound in windows of any length. */
function readersOf(audio: AudioBlock): (frames: number) => ReturnType<typeof createSpectra> {
  const known = new Map<number, ReturnType<typeof createSpectra>>()
  return (frames) => {
    const read = known.get(frames) ?? createSpectra(audio, frames)
    known.set(frames, read)
    return read
  }
}

/** The first band that holds something; in each, levels rise. */
function firstTold(levels: readonly Float64Array[], bands: number): number {
  return firstStrong(levels.slice(0, bands).map((own) => own.at(-1) as number))
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

/**
 * How fast each band falls that an attack strikes, dB a second; 0 for others. Those die away by themselves: a longer
 * time between attacks does not draw them out. Short windows tell quick strokes one by one.
 * @param evenly  leaves out what comes in pulses.
 * @param previous  gives those of the attack before.
 */
function struckBands(
  [short, longer]: readonly Reader[],
  pairs: AttackPairs['pairs'],
  n: number,
  edges: readonly number[],
  binHz: number,
  sampleRate: number,
  evenly: boolean,
  previous: () => readonly number[] | undefined,
): readonly number[] {
  const { sourceFrame } = pairs[n] as AttackPairs['pairs'][number]
  const gap = (pairs[n + 1]?.sourceFrame ?? Number.POSITIVE_INFINITY) - sourceFrame
  const first = Math.min(FIRST_SECONDS * sampleRate, 0.3 * gap)
  const later = Math.max(first + 0.008 * sampleRate, Math.min(LATER_SECONDS * sampleRate, gap - 0.012 * sampleRate))
  const seconds = (later - first) / sampleRate
  const struck = ({ read, bins }: Reader, asks: (band: number) => boolean) => {
    const at = (frame: number) => {
      const { below } = read(sourceFrame + frame)
      // a band narrower than a bin of the short window is told by the bin that it lies in
      return edges
        .slice(0, -1)
        .map((edge, b) => powerBetween(below, edge * bins, Math.max(edge * bins + 1, (edges[b + 1] as number) * bins)))
    }
    const loud = at(first)
    const left = at(later)
    const losses = loud.map((value, b) => Math.log((value + 1e-12) / ((left[b] as number) + 1e-12)))
    const rates = losses.map((loss, b) => (asks(b) ? ((10 / Math.LN10) * loss) / seconds : 0))
    const falls = rates.map((rate) => (rate > STRUCK_DB_PER_SECOND ? rate : 0))
    if (!falls.some(Boolean)) return falls
    const before = at(-2 * FIRST_SECONDS * sampleRate)
    const inside = Array.from({ length: LOOKS - 1 }, (_, k) => at(first + ((later - first) * (k + 1)) / LOOKS))
    const looks = [loud, ...inside, left]
    const isPulsed = (band: number) =>
      looks.some((look, k) => {
        const level = look[band] as number
        return level > PULSED_FROM * (loud[band] as number) && level > PULSED * (looks[k - 1]?.[band] ?? level)
      })
    const sums = {
      before: sumUp(before),
      ended: sumUp(left),
      brought: looks.map((look) => sumUp(look.map((value, b) => Math.max(0, value - (before[b] as number))))),
    }
    const held = falls.map((rate, b) => {
      if (rate === 0) return false
      const around = aroundBand(edges, b)
      // of what was there already and ends, an attack does not tell more than the one before it
      return endsThere(sums, around) ? !previous()?.[b] : holds(sums.brought, around, losses[b] as number)
    })
    const power = (which: readonly (number | boolean)[]) =>
      loud.reduce((sum, value, b) => (which[b] ? sum + value : sum), 0)
    // a band or two of a knock may do so by chance: a call does with most of what it has
    const isCall = power(held) >= CALL_SHARE * power(falls)
    return falls.map((rate, b) => ((isCall && held[b]) || (evenly && rate > 0 && isPulsed(b)) ? 0 : rate))
  }
  const isLow = (band: number) => (edges[band] as number) * binHz < LOW_HZ
  const highs = struck(short as Reader, (band) => !isLow(band))
  const lows = struck(longer as Reader, isLow)
  return highs.map((rate, b) => rate || (lows[b] as number))
}

/** All under each edge. */
function sumUp(bands: readonly number[]): number[] {
  const sums = [0]
  for (const value of bands) sums.push((sums.at(-1) as number) + value)
  return sums
}

/** The edges, by their number, of what lies within an octave of a band. */
function aroundBand(edges: readonly number[], band: number): readonly [low: number, high: number] {
  const centre = edges[band] as number
  const reach = 2 ** HOLDS_OCTAVES
  return [lowerBound(edges, centre / reach), Math.min(edges.length - 1, lowerBound(edges, centre * reach))]
}

type Around = ReturnType<typeof aroundBand>
const between = (below: readonly number[], [low, high]: Around) =>
  (below[high] as number) - (below[low] as number) + 1e-12

/** Whether an attack only ends what was there before: it brings little, and nothing is left. Powers under the edges. */
function endsThere(
  sums: {
    readonly before: readonly number[]
    readonly ended: readonly number[]
    readonly brought: readonly (readonly number[])[]
  },
  around: Around,
): boolean {
  const before = between(sums.before, around)
  const most = sums.brought.reduce((found, below) => Math.max(found, between(below, around)), 0)
  return most < ENDS_SHARE * before && between(sums.ended, around) < DIED_AWAY * before
}

/**
 * Whether what an attack brings around a band holds its level until it ends, or has only moved to other bands.
 * @param looks  what it brings, at even steps: the power under each edge.
 * @param loss  by how much the band itself has fallen over them, as a logarithm.
 */
function holds(looks: readonly (readonly number[])[], around: Around, loss: number): boolean {
  const levels = looks.map((below) => between(below, around))
  const most = levels.reduce((a, b) => Math.max(a, b))
  const top = levels.indexOf(most)
  const last = levels.at(-1) as number
  if (Math.log(most / last) < HOLDS_SHARE * loss) return true
  const ended = levels.findIndex((level, k) => k > top && level < DIED_AWAY * most)
  const end = ended < 0 ? levels.length - 1 : ended
  const inside = levels[Math.round(HOLDS_UNTIL * end)] as number
  // what is loudest at the end of the look has not begun to fall
  return top === end || Math.log(most / inside) < HOLDS_SHARE * Math.log(most / (levels[end] as number))
}

/** Reads the source in windows that have `bins` times as many bins to the hertz as those in which bands are counted. */
interface Reader {
  readonly read: (frame: number) => Spectrum
  readonly bins: number
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
  /** how fast each band falls that the last attack struck, dB a second, 0 for others; undefined where nothing rings */
  readonly bands: readonly number[] | undefined
  /** the source as long after its attack; undefined where nothing tells */
  readonly natural: Spectrum | undefined
  /** how far from where the map has it */
  readonly apartSeconds: number
  /** the source has the next one by then: `natural` is what it had last before it */
  readonly ended: boolean
  /** whether the windows tell what is struck: else only what goes on under it */
  readonly tellsStruck: boolean
  /** an attack lies in a window: what is not struck lies somewhere between the map and the attack */
  readonly apart: boolean
  /** the source as far from each attack as the result is, where both have the same ones there */
  readonly under: readonly Spectrum[]
}

/** The source at a moment, in a window that has `bins` times as many bins to the hertz, its powers to be scaled. */
interface Wanted {
  readonly spectrum: Spectrum
  readonly bins: number
  readonly gain: number
}

/** How many frames of the source a window of the result holds; below 0 where it goes backwards. */
const framesOf = (comparison: Comparison, at: number, size: number): number =>
  originOf(comparison, at + size / 2) - originOf(comparison, at - size / 2)

/** The window of the source that holds what one of the result does; a power of two, at most twice as long. */
function drawnSize(comparison: Comparison, at: number, size: number): number {
  const frames = framesOf(comparison, at, size)
  return frames > 0 ? Math.min(2 * size, nearestPowerOfTwo(frames, LEAST_DRAWN)) : size
}

/** What any of several powers may be and all between them: of that, what is nearest to the one that was found. */
const nearestOf = (found: number, powers: readonly number[]): number =>
  Math.max(Math.min(...powers), Math.min(Math.max(...powers), found))

/** Which bands any of several attacks strikes. */
const anyOf = (struck: readonly (readonly number[])[]): readonly number[] | undefined =>
  struck.length > 1 ? struck[0]?.map((_, band) => Math.max(...struck.map((bands) => bands[band] as number))) : struck[0]

interface Distance {
  readonly off: number
  readonly cells: number
}

const meanOf = ({ off, cells }: Distance) => off / Math.max(1, cells)

/** The result at a moment; at the source's pitch as well, where bands are told by that. */
interface Got {
  readonly own: Spectrum
  readonly steady: Spectrum | undefined
  /** a plucked string is a partial, a knock is none */
  readonly struckToo: boolean
}

function distanceOf(
  { own: got, steady, struckToo }: Got,
  want: Wanted,
  {
    rings,
    edges,
    ratio,
    gate,
    masked,
  }: {
    readonly rings: Rings
    readonly edges: readonly number[]
    readonly ratio: number
    readonly gate: number
    readonly masked: number
  },
): Distance {
  const top = 0.92 * got.power.length
  const wants: number[] = []
  const levels: number[] = []
  for (let b = 0; b + 1 < edges.length; b++) {
    const low = edges[b] as number
    const high = edges[b + 1] as number
    if (high > top || high * ratio > top) break
    const falls = rings.bands?.[b] ?? 0
    const found =
      steady && (falls === 0 || struckToo)
        ? powerBetween(steady.below, low, high)
        : powerBetween(got.below, low * ratio, high * ratio)
    const level = Math.max(gate, found)
    let wanted = Math.max(gate, want.gain * powerBetween(want.spectrum.below, low * want.bins, high * want.bins))
    if (falls > 0 && !rings.tellsStruck) wanted = Number.NaN
    else if (falls > 0) {
      // what was struck rings by itself; once it has ended, it is no louder than the source had it last
      if (rings.natural && (!rings.ended || falls > DIES_DB_PER_SECOND)) {
        const mapped = wanted
        wanted = Math.max(gate, powerBetween(rings.natural.below, low, high))
        // a note that ends between the two is not told when: by its attack, or by the map
        if (
          Math.abs(10 * Math.log10(wanted / mapped)) >
          Math.min(MOST_BY_ITSELF_DB, falls * rings.apartSeconds) + ENDED_DB
        )
          wanted = nearestOf(level, [wanted, mapped])
      }
      if (rings.ended || !rings.natural) wanted = Math.min(wanted, level)
    } else if (rings.apart) {
      const beside = rings.under.map(({ below }) => powerBetween(below, low, high))
      wanted = beside.length > 0 ? nearestOf(level, [wanted, ...beside]) : Number.NaN
    }
    wants.push(wanted)
    levels.push(level)
  }
  let off = 0
  let cells = 0
  for (let b = 0; b < wants.length; b++) {
    const wanted = wants[b] as number
    const level = levels[b] as number
    if (Number.isNaN(wanted) || (wanted <= gate && level <= gate)) continue
    let floor = gate
    for (let near = Math.max(0, b - masked); near <= Math.min(wants.length - 1, b + masked); near++) {
      floor = Math.max(floor, MASKED * (levels[near] as number), MASKED * (wants[near] || 0))
    }
    off += Math.abs(10 * Math.log10(Math.max(floor, level) / Math.max(floor, wanted)))
    cells++
  }
  return { off, cells }
}
