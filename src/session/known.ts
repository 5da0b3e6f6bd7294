import {
  type Analysis,
  type Attack,
  type Knowledge,
  keyName,
  type MaterialKind,
  meanBpm,
  STEADY_PERCENT,
  SURE_FROM,
  wholeBars,
} from '../core'
import { partFacts } from './recipe'
import type { Key, Source } from './schema'

/**
 * What counts as known of a source: what was found out, under what people said. Times are of the part that is worked
 * with.
 */

/** a key is taken for one from here on */
const KEY_FROM = 0.35

export type Found = Knowledge | null | undefined
/** of it, what beats are told by */
export type FoundTempo = Pick<Knowledge, 'tempo'> | null | undefined

/** of it, what timing is told by */
export type FoundRhythm = Pick<Knowledge, 'attacks' | 'tempo'> | null | undefined

export interface TempoKnown {
  readonly bpm: number | undefined
  readonly by: 'hand' | 'found' | undefined
  /** why it should be looked at; undefined where it is certain */
  readonly doubt: string | undefined
}

export function tempoOf(source: Source, found: FoundTempo): TempoKnown {
  if (source.hand.bpm !== undefined) return { bpm: source.hand.bpm, by: 'hand', doubt: undefined }
  const { beats } = source.hand
  if (beats && beats.length > 1) {
    const bpm = meanBpm(beats)
    if (Number.isFinite(bpm) && bpm > 0) return { bpm, by: 'hand', doubt: undefined }
  }
  const tempo = found?.tempo
  if (!tempo || tempo.bpm === undefined) return { bpm: undefined, by: undefined, doubt: undefined }
  if (tempo.confidence < SURE_FROM) {
    return {
      bpm: undefined,
      by: undefined,
      doubt: `perhaps ${bpmText(tempo.bpm)} BPM, ${percent(tempo.confidence)} sure`,
    }
  }
  const told = tempo.candidates.find(
    ({ bpm, evidence }) =>
      bpm !== tempo.bpm &&
      evidence.some((words) => words.startsWith('the file')) &&
      evidence.includes('not heard in the sound'),
  )
  const doubt = told
    ? `the file says ${bpmText(told.bpm)}, the sound is ${bpmText(tempo.bpm)}`
    : tempo.confidence < 0.8
      ? `${percent(tempo.confidence)} sure`
      : undefined
  return { bpm: tempo.bpm, by: 'found', doubt }
}

export const bpmText = (bpm: number) => String(Number(bpm.toFixed(2)))
const percent = (share: number) => `${Math.round(100 * share)} %`

export interface Beats {
  /** frames of the part, rising; may begin before 0 */
  readonly frames: readonly number[]
  /** whether a beat begins a bar */
  readonly bars: readonly boolean[]
  readonly beatsPerBar: number
}

/** Where the beats are: as found, or on the grid that a hand-set tempo or first beat makes. */
export function beatsOf(source: Source, found: FoundTempo): Beats {
  const facts = partFacts(source)
  const { bpm } = tempoOf(source, found)
  const { hand } = source
  const beatsPerBar = hand.beatsPerBar ?? found?.tempo.beatsPerBar ?? 4
  if (!facts || bpm === undefined) return { frames: [], bars: [], beatsPerBar }
  const offset = source.range?.start ?? 0
  const rate = facts.sampleRate
  const tempo = found?.tempo
  const byHand = hand.bpm !== undefined || hand.firstBeat !== undefined
  const listed = hand.beats
    ? { beats: hand.beats, firstBar: 0 }
    : !byHand && tempo && tempo.beats.length > 0
      ? tempo
      : undefined
  if (listed) {
    const inPart = listed.beats
      .map((seconds, i) => ({ frame: seconds * rate - offset, bar: mod(i - listed.firstBar, beatsPerBar) === 0 }))
      .filter(({ frame }) => frame > -1 && frame < facts.frames)
    return { frames: inPart.map(({ frame }) => Math.max(0, frame)), bars: inPart.map(({ bar }) => bar), beatsPerBar }
  }
  const first = hand.firstBeat ?? tempo?.beats[tempo.firstBar] ?? 0
  const beat = (60 / bpm) * rate
  const start = first * rate - offset
  const frames: number[] = []
  const bars: boolean[] = []
  const from = Math.ceil(-start / beat - 1e-6)
  for (let n = from; start + n * beat < facts.frames && frames.length < 20_000; n++) {
    frames.push(Math.max(0, start + n * beat))
    bars.push(mod(n, beatsPerBar) === 0)
  }
  return { frames, bars, beatsPerBar }
}

const mod = (n: number, by: number) => ((n % by) + by) % by

export interface LoopKnown {
  readonly bars: number
  readonly overhangMs: number
  /** the frames of the file that a trim to whole bars keeps */
  readonly start: number
  readonly end: number
}

/**
 * How many whole bars the part holds, and what hangs over; undefined where it has no steady tempo or not a bar of it.
 */
export function loopOf(source: Source, found: Found): LoopKnown | undefined {
  const facts = partFacts(source)
  const { bpm, by } = tempoOf(source, found)
  if (!facts || bpm === undefined) return undefined
  if (by === 'found' && (!found || found.tempo.drift.percent > STEADY_PERCENT)) return undefined
  const { frames, bars, beatsPerBar } = beatsOf(source, found)
  const first = frames[bars.indexOf(true)]
  if (first === undefined) return undefined
  const rate = facts.sampleRate
  const attacks = found ? editedAttacks(source, found.attacks).map(({ frame }) => frame / rate) : []
  const loop = wholeBars(first / rate, (60 * beatsPerBar) / bpm, facts.frames / rate, attacks)
  if (!loop) return undefined
  const offset = source.range?.start ?? 0
  return {
    bars: loop.bars,
    overhangMs: loop.overhangMs,
    start: offset + Math.round(first),
    end: offset + Math.round(loop.endSeconds * rate),
  }
}

export function keyOf(
  source: Source,
  found: Found,
): { key: Key | undefined; by: 'hand' | 'found' | undefined; doubt: string | undefined } {
  if (source.hand.key) return { key: source.hand.key, by: 'hand', doubt: undefined }
  const pitch = found?.pitch
  if (!pitch || pitch.root === undefined || pitch.confidence < KEY_FROM)
    return { key: undefined, by: undefined, doubt: undefined }
  const key = pitch.mode ? { root: pitch.root, mode: pitch.mode } : { root: pitch.root }
  return { key, by: 'found', doubt: pitch.confidence < 0.6 ? `${percent(pitch.confidence)} sure` : undefined }
}

export const keyText = (key: Key) => (keyName({ root: key.root, mode: key.mode }) as string).replace('#', '♯')

export function kindOf(
  source: Source,
  found: Found,
): { kind: MaterialKind | 'unsure' | undefined; by: 'hand' | 'found' | undefined } {
  if (source.hand.kind) return { kind: source.hand.kind, by: 'hand' }
  return found ? { kind: found.material.kind, by: 'found' } : { kind: undefined, by: undefined }
}

/** A key, moved by semitones: whole ones, as near as they come. */
export const keyMoved = <Own extends { readonly root: number }>(key: Own, semitones: number): Own => ({
  ...key,
  root: (((key.root + Math.round(semitones)) % 12) + 12) % 12,
})

/** Untuned percussion stays as it is when others are transposed: what people said, else hits without a clear note. */
export function isUntuned(source: Source, found: Found): boolean {
  if (source.hand.untuned !== undefined) return source.hand.untuned
  const { kind } = kindOf(source, found)
  return kind === 'noise' || (kind === 'hits' && (found?.pitch.confidence ?? 0) < 0.6)
}

const SAME_SECONDS = 0.006

/** Attacks after hand edits, in frames of the part. `found` are of the file. */
export function editedAttacks(source: Source, found: readonly Attack[]): readonly Attack[] {
  const { hand, range } = source
  if (!hand.attacks && !range) return found
  const rate = source.facts?.sampleRate ?? 48_000
  const near = SAME_SECONDS * rate
  const { added = [], removed = [] } = hand.attacks ?? {}
  const kept = found.filter(({ frame }) => !removed.some((other) => Math.abs(other - frame) <= near))
  const all = [...kept, ...added.map((frame) => ({ frame, strength: 0.5 }))].sort((a, b) => a.frame - b.frame)
  if (!range) return all
  return all
    .filter(({ frame }) => frame >= range.start && frame < range.end)
    .map(({ frame, strength }) => ({ frame: frame - range.start, strength }))
}

/**
 * The hand edits that turn the attacks that were found into those that are wanted, both in frames of the file.
 * What lies outside the part that is worked with stays as it is.
 */
export function attackEdits(
  source: Source,
  found: readonly number[],
  wanted: readonly number[],
): { readonly added: number[]; readonly removed: number[] } {
  const { hand, range, facts } = source
  const near = SAME_SECONDS * (facts?.sampleRate ?? 48_000)
  const isInside = (frame: number) => !range || (frame >= range.start && frame < range.end)
  const isOf = (list: readonly number[]) => (frame: number) => list.some((other) => Math.abs(other - frame) <= near)
  const outside = (list: readonly number[] = []) => list.filter((frame) => !isInside(frame))
  const isFound = isOf(found)
  const isWanted = isOf(wanted)
  return {
    added: [...outside(hand.attacks?.added), ...wanted.filter((frame) => isInside(frame) && !isFound(frame))],
    removed: [...outside(hand.attacks?.removed), ...found.filter((frame) => isInside(frame) && !isWanted(frame))],
  }
}

const edited = new WeakMap<Analysis, Map<string, Analysis>>()

/** The analysis that methods get: attacks as corrected by hand. The same object for the same corrections. */
export function heldAnalysis(source: Source, analysis: Analysis): Analysis {
  const { attacks } = source.hand
  if (!attacks || !analysis.attacks) return analysis
  const text = JSON.stringify(attacks)
  const known = edited.get(analysis) ?? new Map<string, Analysis>()
  edited.set(analysis, known)
  const held = known.get(text) ?? { ...analysis, attacks: withEdits(source, analysis.attacks) }
  known.set(text, held)
  return held
}

/** The analysis of a part has its attacks in the part's frames already. */
function withEdits(source: Source, found: readonly Attack[]): readonly Attack[] {
  const offset = source.range?.start ?? 0
  const inFile = found.map(({ frame, strength }) => ({ frame: frame + offset, strength }))
  return editedAttacks(source, inFile)
}
