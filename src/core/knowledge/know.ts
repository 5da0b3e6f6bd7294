import type { Analysis } from '../analysis/analysis'
import { detectAttacks } from '../analysis/attacks'
import { mixedSource } from '../analysis/mix'
import { noveltyOf } from '../analysis/novelty'
import { type PitchTrack, trackPitch } from '../analysis/pitchTrack'
import type { AudioBlock } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { decimateTask } from '../dsp/decimate'
import { partOf, type Task } from '../task'
import { findKey, type KeyFound } from './key'
import { type LoopFacts, loopOf } from './loop'
import { type Material, materialOf, settledKind } from './material'
import { namedTempo } from './namedTempo'
import { beyondOneVoice } from './polyphony'
import { type Tempo, tempoOf } from './tempo'
import { type Texture, textureOf } from './texture'

/** Pitch facts of a sound: its root, its key, its tuning. */
export interface PitchFacts {
  readonly rootHz: number | undefined
  /** pitch class, 0 = C … 11 = B */
  readonly root: number | undefined
  /** undefined where there is one note, or nothing that tells */
  readonly mode: 'major' | 'minor' | undefined
  readonly confidence: number
  readonly tuningCents: number
  readonly reasons: readonly string[]
}

/** All that is worth knowing of a sound before its length or pitch is changed. Plain data. */
export interface Knowledge {
  /** rises when an answer of an older version may be wrong */
  readonly version: number
  readonly seconds: number
  readonly attacks: readonly { readonly frame: number; readonly strength: number }[]
  readonly tempo: Tempo
  readonly pitch: PitchFacts
  readonly material: Material
  readonly loop: LoopFacts | undefined
}

export const KNOWLEDGE_VERSION = 4

export interface KnowOptions {
  /** its name may tell a tempo */
  readonly file?: string
  readonly taggedBpm?: number
  readonly known?: Analysis
  /** 0–1, of attacks */
  readonly sensitivity?: number
}

/** rates that tones and pitches are looked for at: what lies higher tells nothing of them */
const TONE_RATE = 11_000
const NOTE_NAMES = ['C', 'C#', 'D', 'D#', 'E', 'F', 'F#', 'G', 'G#', 'A', 'A#', 'B'] as const

/** "A minor", "F#"; undefined where there is none. */
export function keyName(pitch: Pick<PitchFacts, 'root' | 'mode'>): string | undefined {
  if (pitch.root === undefined) return undefined
  const name = NOTE_NAMES[pitch.root] as string
  return pitch.mode ? `${name} ${pitch.mode}` : name
}

/**
 * Find out all of it in one go. One mix of the channels serves tones and pitch, all channels serve attacks.
 * Figures  npm run bench.
 */
export function* know(source: AudioBlock | SoundSource, options: KnowOptions = {}): Task<Knowledge> {
  const rhythm = yield* partOf(knowRhythm(source, options), 0, 0.5)
  return knowledgeOf(rhythm, yield* partOf(knowTones(source), 0.5, 1))
}

/** What both halves come to: they ask nothing of each other, so each may be found by a thread of its own. */
export function knowledgeOf(rhythm: Rhythm, tones: Tones): Knowledge {
  const { attacks, tempo, loop, seconds } = rhythm
  const { texture, beyondOneVoice: beyond, pitched, key, oneNote: one } = tones
  const material = materialOf({
    texture,
    beyondOneVoice: beyond,
    pitched,
    attacksPerSecond: paceOf(attacks.length, seconds),
  })
  return {
    version: KNOWLEDGE_VERSION,
    seconds,
    attacks,
    tempo,
    pitch: pitchFacts(key, one, material, pitched),
    material,
    loop,
  }
}

/** Attacks, tempo and bars. Plain data. */
export type Rhythm = Pick<Knowledge, 'attacks' | 'tempo' | 'loop' | 'seconds'>

/** What a sound is made of, and what notes. Plain data. */
export interface Tones {
  readonly texture: Texture
  readonly key: KeyFound | undefined
  /** as `polyphony.beyondOneVoice` */
  readonly beyondOneVoice: number | undefined
  /** share of the level in which a pitch was found */
  readonly pitched: number
  /** the pitch that it stays on, where it does */
  readonly oneNote: { readonly hz: number; readonly share: number } | undefined
}

/** Its tones and its texture: the other half of the work. */
export function* knowTones(source: AudioBlock | SoundSource): Task<Tones> {
  const mix = mixedSource(source)
  const texture = yield* partOf(textureOf(mix), 0, 0.15)
  const { tones, toneRate } = yield* partOf(tonesOf(mix), 0.15, 0.2)
  const key = yield* partOf(findKey(tones, toneRate), 0.2, 0.35)
  const beyond = yield* partOf(beyondOneVoice(tones, toneRate), 0.35, 0.6)
  const track = yield* partOf(trackPitch({ sampleRate: toneRate, channels: [tones] }), 0.6, 1)
  return { texture, key, beyondOneVoice: beyond, pitched: pitchedShare(track, tones), oneNote: oneNote(track) }
}

/**
 * The kind of a sound and nothing else of its tones: the same as `know` finds, and found sooner where its texture
 * settles it.
 */
export function* knowKind(
  source: AudioBlock | SoundSource,
  { attacks, seconds }: Pick<Rhythm, 'attacks' | 'seconds'>,
): Task<Material['kind']> {
  const mix = mixedSource(source)
  const texture = yield* partOf(textureOf(mix), 0, 0.2)
  const attacksPerSecond = paceOf(attacks.length, seconds)
  const settled = settledKind(texture, attacksPerSecond)
  if (settled) return settled
  const { tones, toneRate } = yield* tonesOf(mix)
  const beyond = yield* partOf(beyondOneVoice(tones, toneRate), 0.25, 0.6)
  const track = yield* partOf(trackPitch({ sampleRate: toneRate, channels: [tones] }), 0.6, 1)
  const pitched = pitchedShare(track, tones)
  return materialOf({ texture, beyondOneVoice: beyond, pitched, attacksPerSecond }).kind
}

const paceOf = (attacks: number, seconds: number) => attacks / Math.max(0.1, seconds)

/** One mix of the channels, at a rate that tones need. */
function* tonesOf(mix: SoundSource): Task<{ readonly tones: Float32Array; readonly toneRate: number }> {
  const factor = Math.max(1, Math.min(8, Math.floor(mix.sampleRate / TONE_RATE)))
  return { tones: yield* decimateTask(mix, factor), toneRate: mix.sampleRate / factor }
}

/** Attacks, tempo and bars alone: half of the work. */
export function* knowRhythm(sound: AudioBlock | SoundSource, options: KnowOptions = {}): Task<Rhythm> {
  const source = soundSource(sound)
  const { sampleRate } = source
  const seconds = source.frames / sampleRate
  const novelty = yield* noveltyOf(source)
  const attacks = options.known?.attacks ?? (yield* detectAttacks(source, { novelty, ...withSensitivity(options) }))
  const tempo = tempoOf({
    novelty,
    attacks,
    sampleRate,
    seconds,
    named: options.file === undefined ? undefined : namedTempo(options.file),
    tagged: options.taggedBpm,
  })
  const times = attacks.map(({ frame }) => frame / sampleRate)
  return { attacks, tempo, loop: loopOf(tempo, seconds, times), seconds }
}

const withSensitivity = ({ sensitivity }: KnowOptions) => (sensitivity === undefined ? {} : { sensitivity })

/** Share of the level in which a pitch was found. */
function pitchedShare(track: PitchTrack, samples: Float32Array): number {
  let pitched = 0
  let total = 0
  for (let n = 0; n < track.hz.length; n++) {
    let energy = 0
    const end = Math.min(samples.length, (n + 1) * track.hopFrames)
    for (let i = n * track.hopFrames; i < end; i++) energy += (samples[i] as number) * (samples[i] as number)
    const level = Math.sqrt(energy)
    total += level
    if ((track.hz[n] as number) > 0) pitched += level
  }
  return total > 0 ? pitched / total : 0
}

/** share of a sound that may differ from the middle pitch by more than half a semitone for it to be one note */
const ONE_NOTE = 0.15

function pitchFacts(key: KeyFound | undefined, one: Tones['oneNote'], material: Material, pitched: number): PitchFacts {
  const nothing: PitchFacts = {
    rootHz: undefined,
    root: undefined,
    mode: undefined,
    confidence: 0,
    tuningCents: 0,
    reasons: ['no tones stand out'],
  }
  if (!key) return nothing
  if (one && pitched > 0.5) {
    const midi = 69 + 12 * Math.log2(one.hz / 440)
    const nearest = Math.round(midi)
    return {
      rootHz: one.hz,
      root: ((nearest % 12) + 12) % 12,
      mode: undefined,
      confidence: Math.min(1, pitched * one.share),
      tuningCents: 100 * (midi - nearest),
      reasons: [`${Math.round(100 * one.share)} % of its pitch is one note`],
    }
  }
  // how much there is of tones decides how far a key may be believed
  const tonal =
    material.likely === 'noise'
      ? 0.1
      : material.likely === 'hits'
        ? Math.min(0.5, 0.4 * material.shares.sines + 0.3 * pitched)
        : Math.min(1, 0.5 + material.shares.sines + 0.5 * material.shares.noise)
  const confidence = key.confidence * tonal
  const strongest = [...key.profile]
    .map((share, pc) => ({ share, pc }))
    .sort((a, b) => b.share - a.share)
    .slice(0, 3)
  return {
    rootHz: key.rootHz,
    root: key.root,
    mode: key.mode,
    confidence,
    tuningCents: key.tuningCents,
    reasons: [`most of it sounds on ${strongest.map(({ pc }) => NOTE_NAMES[pc]).join(', ')}`],
  }
}

/** The pitch that a sound stays on, where it does. */
function oneNote(track: PitchTrack): { hz: number; share: number } | undefined {
  const pitches = [...track.hz].filter((hz) => hz > 0).sort((a, b) => a - b)
  if (pitches.length < 8) return undefined
  const middle = pitches[pitches.length >> 1] as number
  const near = pitches.filter((hz) => Math.abs(12 * Math.log2(hz / middle)) < 0.5).length
  const share = near / pitches.length
  return share >= 1 - ONE_NOTE ? { hz: middle, share } : undefined
}
