import { type Attack, createRefiner, detectAttacks } from '../analysis/attacks'
import { noveltyOf } from '../analysis/novelty'
import { type AudioBlock, frameCount } from '../audio/block'
import { lowerBound } from '../dsp/search'
import { partOf, type Task } from '../task'
import { asSource } from '../timeline/axes'
import { type Comparison, originOf } from './comparison'
import { median } from './statistics'

/** an attack counts as kept when something like it starts within this of where it belongs */
const WITHIN_SECONDS = 0.04
/** attacks that the map brings closer than this are heard as one */
const ONE_SECONDS = 0.028
/** the usual ear, and one that also takes faint starts for attacks: what it alone hears excuses, and never accuses */
const KEEN = 0.68

/** what rises by less than this (natural log units, mean over bands), or than a share of the strongest, convinces nobody */
const LEAST_HEIGHT = 0.15
const LEAST_EXTRA_HEIGHT = 0.3
const LEAST_SHARE = 0.1
/** what is left of an attack has to rise this much of what it did, and hold this much of its energy against the others */
const KEPT_HEIGHT = 0.25
const KEPT_ENERGY = 0.03
/** a start is heard when it brings this much of the energy that starts of the source bring, within this time */
const HEARD_RISE = 0.015
const RISE_SECONDS = 0.02
/** the source explains a start in the result when it rises by half as much near there */
const EXPLAINS = 0.5
const EXPLAINS_SECONDS = 0.012

/** The start of something, and how far the spectrum rises there: mean over bands, natural log units. */
export interface Start {
  readonly frame: number
  readonly height: number
}

/** Attacks of one sound by two ears. Frames rise. */
export interface Attacks {
  readonly sure: readonly Start[]
  readonly keen: readonly Start[]
  /** how far the spectrum rises around a frame, at most */
  heightAround(frame: number, withinFrames: number): number
}

export function* attacksOf(audio: AudioBlock, known?: readonly Attack[]): Task<Attacks> {
  const novelty = yield* partOf(noveltyOf(audio), 0, 0.6)
  const refine = createRefiner(audio)
  const reach = Math.round(0.03 * (audio.sampleRate / novelty.hop))
  const start = ({ frame }: Attack): Start => {
    const column = Math.round(frame / novelty.hop)
    let height = 0
    for (let n = Math.max(0, column - 2); n <= column + reach; n++) height = Math.max(height, novelty.all[n] ?? 0)
    return { frame, height }
  }
  const sure = (known ?? (yield* partOf(detectAttacks(audio, { novelty, refine }), 0.6, 0.8))).map(start)
  // a stroke at the very start is one at any length, though it dies away more slowly
  const keen = (yield* partOf(
    detectAttacks(audio, { novelty, refine, sensitivity: KEEN, withCutStart: true }),
    0.8,
    1,
  )).map(start)
  const heightAround = (frame: number, withinFrames: number) => {
    const to = Math.ceil((frame + withinFrames) / novelty.hop)
    let height = 0
    for (let n = Math.max(0, Math.floor((frame - withinFrames) / novelty.hop)); n <= to; n++)
      height = Math.max(height, novelty.all[n] ?? 0)
    return height
  }
  return { sure, keen, heightAround }
}

/** An attack of the source, where it belongs in the result, and where it is there. Result frames count from its start. */
export interface AttackPair {
  readonly sourceFrame: number
  readonly height: number
  readonly expected: number
  /** undefined where it was lost */
  readonly found: number | undefined
}

export interface AttackPairs {
  readonly pairs: readonly AttackPair[]
  /** result frames of attacks that nothing in the source accounts for */
  readonly extra: readonly number[]
  /** result frames where all attacks that are known of the source belong, faint ones and such as fall together too */
  readonly known: readonly number[]
}

/**
 * Lay the attacks of a result beside those of its source, nearest first. An attack is lost when not even the keen ear finds it
 * in the result, or hardly anything of it; one is extra when nothing in the source accounts for it, at the moment that the map
 * gives or behind an attack that rings on by itself.
 */
export function pairAttacks(comparison: Comparison, source: Attacks, result: Attacks): AttackPairs {
  const { map, from } = comparison
  const { sampleRate } = comparison.source
  const frames = frameCount(comparison.result)
  const within = WITHIN_SECONDS * sampleRate
  const edge = 0.01 * sampleRate
  const place = (attack: Start) => map.outputAt(asSource(attack.frame)) - from

  const top = source.sure.reduce((most, attack) => Math.max(most, attack.height), 0)
  const least = Math.max(LEAST_HEIGHT, LEAST_SHARE * top)
  const wanted: { sourceFrame: number; height: number; expected: number }[] = []
  for (const attack of source.sure) {
    if (attack.height < least) continue
    const expected = place(attack)
    if (expected < (from > 0 ? edge : -1) || expected > frames - edge) continue
    const last = wanted.at(-1)
    if (last && expected - last.expected < ONE_SECONDS * sampleRate) {
      if (attack.height > last.height)
        wanted[wanted.length - 1] = { sourceFrame: attack.frame, height: attack.height, expected }
      continue
    }
    wanted.push({ sourceFrame: attack.frame, height: attack.height, expected })
  }
  const candidates = wanted.flatMap((w, i) => {
    const before = w.expected - (wanted[i - 1]?.expected ?? Number.NEGATIVE_INFINITY)
    const behind = (wanted[i + 1]?.expected ?? Number.POSITIVE_INFINITY) - w.expected
    return result.keen.flatMap((r, j) => {
      const off = r.frame - w.expected
      const reach = Math.min(within, 0.6 * (off < 0 ? before : behind))
      const alike = r.height >= KEPT_HEIGHT * w.height
      return alike && Math.abs(off) <= reach ? [{ i, j, off: Math.abs(off) }] : []
    })
  })
  candidates.sort((a, b) => a.off - b.off)
  const foundOf = new Map<number, number>()
  const taken = new Set<number>()
  for (const { i, j } of candidates) {
    if (foundOf.has(i) || taken.has(j)) continue
    foundOf.set(i, j)
    taken.add(j)
  }
  const pairs = withEnergy(
    comparison,
    wanted.map((w, i) => {
      const j = foundOf.get(i)
      return { ...w, found: j === undefined ? undefined : (result.keen[j] as Start).frame }
    }),
  )
  const matched = Float64Array.from([...foundOf.values()].map((j) => (result.keen[j] as Start).frame)).sort()
  // where a sound begins something begins, whether or not it is an attack
  const beginning = map.outputAt(asSource(0)) - from
  const origins = Float64Array.from([beginning, ...[...source.keen, ...source.sure].map(place)]).sort()
  const leastExtra = Math.max(LEAST_EXTRA_HEIGHT, 0.7 * LEAST_SHARE * top)
  const explained = (start: Start) =>
    [originOf(comparison, start.frame), ...ringing(pairs, start.frame, sampleRate)].some(
      (frame) => source.heightAround(frame, EXPLAINS_SECONDS * sampleRate) > EXPLAINS * start.height,
    )
  const isHeard = heardStarts(comparison, source.sure)
  const extra = result.keen
    .filter(({ frame, height }) => height >= leastExtra && frame > edge && frame < frames - edge)
    .filter(({ frame }) => distanceTo(matched, frame) > 0.012 * sampleRate)
    .filter(({ frame }) => distanceTo(origins, frame) > 0.024 * sampleRate)
    .filter((start) => !explained(start) && isHeard(start.frame))
    .map(({ frame }) => frame)
  return { pairs, extra, known: source.sure.map(place) }
}

/** What drops out is no attack, though it may have an edge: found ones need some of the energy that the source has there. */
function withEnergy(comparison: Comparison, pairs: readonly AttackPair[]): AttackPair[] {
  const length = Math.round(0.03 * comparison.source.sampleRate)
  const energy = (audio: AudioBlock, from: number) => {
    let sum = 1e-12
    for (const channel of audio.channels) for (let i = from; i < from + length; i++) sum += (channel[i] ?? 0) ** 2
    return sum
  }
  const kept = pairs.map(({ found, sourceFrame }) =>
    found === undefined ? undefined : energy(comparison.result, found) / energy(comparison.source, sourceFrame),
  )
  const usual = median(kept.filter((share) => share !== undefined))
  return pairs.map((pair, i) => ((kept[i] ?? 0) < KEPT_ENERGY * usual ? { ...pair, found: undefined } : pair))
}

/** Energy of the first difference, which lets a start stand out of a low bed, in a span of all channels. */
function edgeEnergyIn(audio: AudioBlock, from: number, frames: number): number {
  let sum = 0
  for (const channel of audio.channels) {
    let before = channel[from - 1] ?? 0
    for (let i = Math.max(0, from); i < from + frames; i++) {
      const value = channel[i] ?? 0
      sum += (value - before) ** 2
      before = value
    }
  }
  return sum
}

/**
 * Whether a listener hears a start in the result. It has to bring some of the energy that attacks of the source bring.
 * Where the source has none, it has to bring some of what the source has anywhere.
 */
function heardStarts({ source, result }: Comparison, attacks: readonly Start[]): (resultFrame: number) => boolean {
  const length = Math.round(RISE_SECONDS * source.sampleRate)
  const rise = (audio: AudioBlock, frame: number) =>
    edgeEnergyIn(audio, frame, length) - edgeEnergyIn(audio, frame - length, length)
  let usual = median(attacks.map(({ frame }) => rise(source, frame)))
  if (attacks.length === 0) {
    for (let at = 0; at < frameCount(source); at += length) usual = Math.max(usual, edgeEnergyIn(source, at, length))
  }
  return (frame) => rise(result, frame) > HEARD_RISE * usual
}

/** How far the nearest value of a rising list lies. */
export function distanceTo(rising: Float64Array, value: number): number {
  const at = lowerBound(rising, value)
  const behind = at < rising.length ? (rising[at] as number) - value : Number.POSITIVE_INFINITY
  const before = at > 0 ? value - (rising[at - 1] as number) : Number.POSITIVE_INFINITY
  return Math.min(behind, before)
}

/** how long after an attack a sound may be taken to ring on by itself, seconds */
const RINGS_SECONDS = 0.8

/** The source frames at which a result frame is if what began at one of the attacks before rings on at its own speed. */
export function ringing(pairs: readonly AttackPair[], resultFrame: number, sampleRate: number): number[] {
  const frames: number[] = []
  for (let n = pairs.length - 1; n >= 0; n--) {
    const { found, expected, sourceFrame } = pairs[n] as AttackPair
    const since = resultFrame - (found ?? expected)
    if (since > RINGS_SECONDS * sampleRate) break
    if (since >= 0) frames.push(sourceFrame + since)
  }
  return frames
}
