import type { Attack } from '../analysis/analysis'
import { quietestPlace, silentPlaces, stepsWithin } from '../audio/levels'
import type { SoundSource } from '../audio/soundSource'
import { asOutput, asSource } from '../timeline/axes'
import { straightMap, type TimeMap } from '../timeline/timeMap'

/** results up to this length are never cut */
const WHOLE_SECONDS = 60
/** a piece is at least this long; a cut is looked for within as much again, and beyond that where the first may be made */
const PIECE_SECONDS = 20
/** how far before an attack one piece has handed over to the next, and within what time */
export const BEFORE_ATTACK_SECONDS = 0.002
export const SEAM_FADE_SECONDS = 0.005
/** what stays below this for as long, in steps of 25 ms, counts as silence */
const SILENT = { level: 5e-4, steps: 2 } as const
/** a place that is looked at for being quiet, in such steps */
const QUIET_STEPS = 4
/** source that a piece is made of at most: it lies in memory */
const MOST_SOURCE_SECONDS = 120
/** the same of what lies on a timeline: many lie in memory at once, and are read where one jumps to */
const LAID_PIECE_SECONDS = 10
const LAID_SOURCE_SECONDS = 40

/** A part of a source or a result, frames, the end exclusive. */
export interface Span {
  readonly from: number
  readonly to: number
}

/** Whether a result of so many frames is long enough to fall into pieces. */
export const mayBeCut = (frames: number, sampleRate: number) => frames > WHOLE_SECONDS * sampleRate

/** The pieces that seams leave of a result, in output frames. */
export function piecesBetween(seams: readonly number[], frames: number): readonly Span[] {
  const ends = [0, ...seams, frames]
  return ends.slice(1).map((to, n) => ({ from: ends[n] as number, to }))
}

export interface SeamOptions {
  /** a cut may be made anywhere: the voice carries nothing from frame to frame */
  readonly anywhere: boolean
  /** seconds of source that a piece may span, 120 if not said; where it would be more, it is cut at the quietest place */
  readonly mostSourceSeconds?: number
  /** seconds that a piece has at least, 20 if not said */
  readonly pieceSeconds?: number
}

/**
 * Where a long result falls into pieces, each of which is made afresh: output frames, rising, between the first frame and the last.
 * A cut lies right before the strongest attack of some seconds, or in silence. It follows from the source, its attacks and the map
 * alone, so that whoever renders, in however many parts, makes the same pieces.
 * @param attacks  source frames, rising.
 */
export function seamsOf(
  source: SoundSource,
  map: TimeMap,
  attacks: readonly Attack[],
  { anywhere, mostSourceSeconds = MOST_SOURCE_SECONDS, pieceSeconds = PIECE_SECONDS }: SeamOptions,
): readonly number[] {
  const { sampleRate } = source
  const frames = map.outputFrames
  const seams: number[] = []
  if (!mayBeCut(frames, sampleRate)) return seams
  const piece = pieceSeconds * sampleRate
  const before = BEFORE_ATTACK_SECONDS * sampleRate
  const cuts = attacks
    .map(({ frame, strength }) => ({ at: Math.floor(map.outputAt(asSource(frame)) - before), strength }))
    .filter(({ at }) => at > 0 && at < frames)

  let next = 0
  for (let last = 0; frames - last > 2 * piece; ) {
    const from = last + piece
    // the last piece is no shorter than the others
    const to = Math.min(last + 2 * piece, frames - piece)
    while (next < cuts.length && (cuts[next] as Cut).at < from) next++
    let seam = strongest(cuts, next, to) ?? silentPlace(source, map, from, to)
    if (seam === undefined && anywhere) seam = Math.round((from + to) / 2)
    if (seam === undefined) {
      const beyond = cuts[next]?.at ?? frames
      const longest = furthest(map, last, mostSourceSeconds * sampleRate)
      seam = silentPlace(source, map, to, Math.min(beyond, longest)) ?? beyond
      if (seam > longest) seam = quietestSeam(source, map, from, longest)
    }
    if (seam > frames - piece) break
    seams.push(seam)
    last = seam
  }
  return seams
}

const ownSeams = new WeakMap<
  SoundSource,
  { readonly of: readonly Attack[]; readonly byOptions: Map<string, readonly number[]> }
>()

/**
 * Where a result that lies on a timeline falls into pieces: at the same places of its source whatever the tempo, so
 * that what was read and made of a piece holds when the tempo turns.
 */
export function laidSeams(
  source: SoundSource,
  map: TimeMap,
  attacks: readonly Attack[],
  options: SeamOptions,
): readonly number[] {
  const { sampleRate, frames } = source
  if (!mayBeCut(map.outputFrames, sampleRate)) return []
  let kept = ownSeams.get(source)
  if (kept?.of !== attacks) {
    kept = { of: attacks, byOptions: new Map() }
    ownSeams.set(source, kept)
  }
  const { mostSourceSeconds = LAID_SOURCE_SECONDS } = options
  const laid = { ...options, mostSourceSeconds: Math.min(mostSourceSeconds, LAID_SOURCE_SECONDS) }
  const key = `${options.anywhere} ${laid.mostSourceSeconds}`
  const own =
    kept.byOptions.get(key) ??
    seamsOf(source, straightMap(frames, 1), attacks, { ...laid, pieceSeconds: LAID_PIECE_SECONDS })
  kept.byOptions.set(key, own)
  const least = 2 * SEAM_FADE_SECONDS * sampleRate
  let last = 0
  return own.flatMap((seam) => {
    const at = Math.floor(map.outputAt(asSource(seam)))
    if (!(at > last + least && at < map.outputFrames - least)) return []
    last = at
    return [at]
  })
}

interface Cut {
  readonly at: number
  readonly strength: number
}

function strongest(cuts: readonly Cut[], first: number, to: number): number | undefined {
  let best: Cut | undefined
  for (let n = first; n < cuts.length && (cuts[n] as Cut).at < to; n++) {
    const cut = cuts[n] as Cut
    if (!best || cut.strength > best.strength) best = cut
  }
  return best?.at
}

/** The output frame up to which a piece from `last` on spans no more than so many frames of the source. */
const furthest = (map: TimeMap, last: number, sourceFrames: number) =>
  map.outputAt(asSource(map.sourceAt(asOutput(last)) + sourceFrames))

/** The middle of the first silence that is heard between two output frames. */
function silentPlace(source: SoundSource, map: TimeMap, from: number, to: number): number | undefined {
  for (const frame of silentPlaces(source, stepsHeard(source, map, from, to), SILENT)) {
    const seam = Math.floor(map.outputAt(asSource(frame)))
    if (seam >= from && seam < to) return seam
  }
  return undefined
}

/** The middle of the quietest tenth of a second between two output frames. */
const quietestSeam = (source: SoundSource, map: TimeMap, from: number, to: number) =>
  Math.floor(map.outputAt(asSource(quietestPlace(source, stepsHeard(source, map, from, to), QUIET_STEPS))))

/** The whole steps of the source's levels that are heard between two output frames, the end exclusive. */
function stepsHeard(source: SoundSource, map: TimeMap, from: number, to: number) {
  const within = (output: number) => Math.max(0, Math.min(source.frames, map.sourceAt(asOutput(output))))
  return stepsWithin(source, within(from), within(Math.min(to, map.outputFrames)))
}
