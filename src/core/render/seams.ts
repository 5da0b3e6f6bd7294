import type { Attack } from '../analysis/analysis'
import type { SoundSource } from '../audio/soundSource'
import { asOutput, asSource } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'

/** results up to this length are never cut */
const WHOLE_SECONDS = 60
/** a piece is at least this long; a cut is looked for within as much again, and beyond that where the first may be made */
const PIECE_SECONDS = 20
/** how far before an attack one piece has handed over to the next, and within what time */
const BEFORE_ATTACK_SECONDS = 0.002
export const SEAM_FADE_SECONDS = 0.005
/** what stays below this for as long counts as silence */
const SILENT_LEVEL = 5e-4
const SILENT_SECONDS = 0.05
/** frames that are looked through at once */
const LOOK_FRAMES = 1 << 18
/** source that a piece is made of at most: it lies in memory */
const MOST_SOURCE_SECONDS = 120

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
  { anywhere, mostSourceSeconds = MOST_SOURCE_SECONDS }: SeamOptions,
): readonly number[] {
  const { sampleRate } = source
  const frames = map.outputFrames
  const seams: number[] = []
  if (!mayBeCut(frames, sampleRate)) return seams
  const piece = PIECE_SECONDS * sampleRate
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
      if (seam > longest) seam = quietestPlace(source, map, from, longest)
    }
    if (seam > frames - piece) break
    seams.push(seam)
    last = seam
  }
  return seams
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

/** The middle of a silence of some length that is heard between two output frames. */
function silentPlace(source: SoundSource, map: TimeMap, from: number, to: number): number | undefined {
  const [start, end] = sourceBetween(source, map, from, to)
  const least = Math.round(SILENT_SECONDS * source.sampleRate)
  for (let block = start; block < end; block += LOOK_FRAMES) {
    const blockEnd = Math.min(end, block + LOOK_FRAMES + 2 * least)
    const { channels } = source.part(block, blockEnd)
    const silentAt = (i: number) => channels.every((channel) => Math.abs(channel[i] as number) <= SILENT_LEVEL)
    // a silence of this length holds one of these frames
    for (let i = 0; i < blockEnd - block; i += least) {
      let first = i
      while (first > Math.max(0, i - least) && silentAt(first - 1)) first--
      let last = i
      while (last < Math.min(blockEnd - block, first + least) && silentAt(last)) last++
      if (last - first < least) continue
      const seam = Math.floor(map.outputAt(asSource(block + (first + last) / 2)))
      if (seam >= from && seam < to) return seam
    }
  }
  return undefined
}

/** The middle of the quietest tenth of a second between two output frames. */
function quietestPlace(source: SoundSource, map: TimeMap, from: number, to: number): number {
  const [start, end] = sourceBetween(source, map, from, to)
  const length = Math.round(0.1 * source.sampleRate)
  let best = (start + end) / 2
  let least = Number.POSITIVE_INFINITY
  for (let at = start; at + length <= end; at += length) {
    let energy = 0
    for (const channel of source.part(at, at + length).channels)
      for (let i = 0; i < length; i++) energy += (channel[i] as number) * (channel[i] as number)
    if (energy < least) {
      least = energy
      best = at + length / 2
    }
  }
  return Math.floor(map.outputAt(asSource(best)))
}

function sourceBetween(source: SoundSource, map: TimeMap, from: number, to: number): [start: number, end: number] {
  const within = (output: number) => Math.max(0, Math.min(source.frames, Math.ceil(map.sourceAt(asOutput(output)))))
  return [within(from), within(Math.min(to, map.outputFrames))]
}
