import { useStore } from 'zustand'
import { createStore } from 'zustand/vanilla'
import type {
  Analysis,
  Knowledge,
  Markers,
  Measurement,
  Recipe,
  Spectrogram,
  SweepAxis,
  SweepPoint,
  Trial,
  Tried,
} from '../../../core'
import type { FileFacts, Glance, SoundFacts } from '../../../engine'
import {
  type BatchFile,
  type BatchRun,
  type BlindResult,
  type ExportSettings,
  firstOutlook,
  type History,
  NO_TIMELINE,
  type Outlook,
  REFERENCE,
  SESSION_VERSION,
  type Session,
  type Source,
  startHistory,
  type Variant,
} from '../../../session'

/** How far the drawing and measuring of one variant has come. */
export interface RenderState {
  /** the recipe it is of */
  readonly key: string
  readonly status: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled' | 'held'
  /** 0–1 */
  readonly progress: number
  readonly error?: unknown
  /** of this recipe when done; of the one before while a new one is on its way */
  readonly facts?: SoundFacts
  /** what `facts` were made by */
  readonly factsRecipe?: Recipe
}

/** How far the measuring of one variant has come, and what was measured last. */
export interface TrialState {
  /** what it is of: a render's key */
  readonly key: string
  readonly status: 'running' | 'done' | 'failed'
  /** 0–1 */
  readonly progress: number
  /** of this key when done; of the one before while a new one is on its way */
  readonly trial?: Trial
}

/** A comparison without names, as it goes on. */
export interface BlindRun {
  readonly sourceId: string
  readonly mode: BlindResult['mode']
  /** lane ids, in no order that means anything to a listener */
  readonly lanes: readonly string[]
  readonly rounds: number
  /** of this round: which lane each hidden place holds; for ABX the third is one of the first two again */
  readonly places: readonly string[]
  readonly heard: number
  /** which hidden places of this round have sounded: a vote counts when all have */
  readonly sounded: readonly number[]
  /** of rounds before: the lane that was preferred (AB), or whether X was named right (ABX) */
  readonly answers: readonly (string | boolean)[]
  /** 0–100 for each hidden place, while ranking */
  readonly grades: readonly number[]
}

/** Advice for a source and a target, as it is being found. */
export interface AdviceState {
  /** what it is for: the source's part, its target, its attacks */
  readonly key: string
  readonly status: 'running' | 'done' | 'failed' | 'cancelled'
  readonly methodIds: readonly string[]
  /** methods that have been tried so far */
  readonly tried: readonly Tried[]
  /** once it was looked for: the best of them joined, where that does clearly less harm */
  readonly joined?: { readonly best: JoinedTried | undefined }
  readonly error?: unknown
}

/** Joined lanes, measured as a whole. */
export interface JoinedTried {
  readonly recipe: Recipe
  readonly measurement: Measurement
}

/** Something that was only tried, and is heard: no lane of the session. */
export interface TriedState {
  readonly sourceId: string
  readonly recipe: Recipe
  /** which part of the source its trial was about, source frames */
  readonly range: { readonly start: number; readonly end: number }
  /** how much louder than the source it came out, LU */
  readonly changeLu: number
}

/** One setting of a variant over its range, each value tried. */
export interface ExploredState {
  /** what it is of: the source's part, the recipe beside that setting */
  readonly key: string
  readonly name: string
  readonly status: 'running' | 'done' | 'failed' | 'cancelled'
  readonly tries: readonly ExploredTry[]
  readonly error?: unknown
}

export interface ExploredTry {
  readonly value: number | string
  readonly recipe: Recipe
  readonly trial?: Trial
  readonly picture?: Spectrogram
}

/** A lane's spectrogram, and which source frames it covers. */
export interface SpectrumState {
  readonly key: string
  readonly start: number
  readonly end: number
  readonly picture: Spectrogram
}

/** What is known of one part of a source over many lengths and pitches. */
export interface SweepState {
  readonly points: readonly SweepPoint[]
  /** what is being measured now */
  readonly running?: { readonly axis: SweepAxis; readonly done: number; readonly total: number }
  readonly error?: unknown
}

export interface LoadState {
  readonly status: 'loading' | 'ready' | 'failed'
  readonly facts?: SoundFacts
  /** what its whole file says of places in it */
  readonly markers?: Markers
  readonly error?: unknown
}

export interface ExportState {
  readonly name: string
  readonly progress: number
}

/** A file of the Export view. */
export interface QueuedFile {
  readonly id: string
  /** of what it is of */
  readonly key: string
  readonly name: string
  readonly settings: ExportSettings
  readonly status: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled'
  /** 0–1 */
  readonly progress: number
  readonly error?: unknown
  readonly made?: MadeFile
}

/** What came of it. */
export interface MadeFile {
  readonly blob: Blob
  readonly seconds: number
  readonly rate: number
  /** LUFS and dBTP where it was brought to a level */
  readonly level?: { readonly lufs: number; readonly peakDb: number; readonly heldDb: number }
  /** what came out otherwise than was asked */
  readonly doubts: readonly string[]
  /** where it went */
  readonly place: string
  readonly recipe?: string
}

/** Something to tell. `undo` offers to take back what it tells of, `action` to do something about it. */
export interface Notice {
  readonly id: number
  readonly tone: 'plain' | 'trouble'
  readonly text: string
  readonly undo?: boolean
  /** a notice of a kind takes the place of the one before of that kind */
  readonly kind?: 'undo'
  readonly action?: { readonly label: string; readonly run: () => void }
}

/**
 * Only `writes` may change the session. Else it can be looked at and heard: another tab has it (`watches`), a newer
 * version wrote it (`newer`), or this browser keeps nothing (`unkept`).
 */
export type Access =
  | { readonly kind: 'writes' }
  | { readonly kind: 'watches' }
  | { readonly kind: 'newer'; readonly version: number }
  | { readonly kind: 'unkept'; readonly why: string }

/** Something that could not be read, or not as it was, and lies aside. */
export interface Aside {
  readonly id: string
  readonly at: number
  readonly what: 'session' | 'outlook'
  readonly why: string
}

/** A session file that was opened, and waits to be told where its sounds go. */
export interface Offered {
  readonly file: string
  readonly session: Session
  /** what was mended or left out, in words */
  readonly notes: readonly string[]
}

/** A session file that is being written or read, 0–1. */
export interface FileWork {
  readonly doing: 'Saving' | 'Opening'
  readonly file: string
  readonly progress: number
}

/** A place of the timeline that is gone to while it plays. */
export interface QueuedJump {
  readonly sectionId: string
  /** beats: where it goes on, and when */
  readonly beat: number
  readonly at: number
}

/** A file that was brought in and is no source yet. */
export interface Arrival {
  readonly id: string
  readonly file: string
  /** `stuck`: the page ended more than once while it was read */
  readonly status: 'waiting' | 'reading' | 'stuck'
}

/** A file that is listed: not of the session until it is taken in. */
export interface FoundFile {
  readonly id: string
  /** with the folders that it lay in */
  readonly path: string
  readonly status: 'waiting' | 'reading' | 'known' | 'failed'
  readonly facts?: FileFacts
  readonly error?: string
  /** of the file that it is the same as */
  readonly sameAs?: string
}

/** A batch that runs, rests, or is done. */
export interface BatchState {
  readonly run: BatchRun
  readonly files: readonly BatchFile[]
  /** how far what is being made has come, 0 to 1, by file */
  readonly making: Readonly<Record<string, number>>
}

/** A moment of a source's file that timing is about. */
export interface ChosenMoment {
  readonly sourceId: string
  /** of the file */
  readonly seconds: number
  /** on which side it could be moved no further when it was moved last */
  readonly stopped?: 'early' | 'late' | undefined
}

/** A sound that promises to shape another, 0 to 1, and why. */
export interface PromisingPair {
  readonly rhythm: string
  readonly body: string
  readonly promise: number
  readonly why: string
}

export interface State {
  readonly ready: boolean
  readonly access: Access
  /** what the last change could not be kept by */
  readonly unsaved: unknown
  readonly aside: readonly Aside[]
  readonly offered: Offered | undefined
  /** sources that came in together and have one length, as long as nobody has said whether they are kin */
  readonly offeredKin: readonly string[]
  readonly fileWork: FileWork | undefined
  readonly history: History<Session>
  readonly outlook: Outlook
  readonly loads: Readonly<Record<string, LoadState>>
  /** by sound key: what sounds of the timeline look like; null for one that could not be read */
  readonly mixFacts: Readonly<Record<string, SoundFacts | null>>
  /** by part of a file (`partKey`): what methods need to know of it, so far */
  readonly analyses: Readonly<Record<string, Analysis>>
  /** by source: what is known of the whole file; null while it is being found out */
  readonly knowledge: Readonly<Record<string, Knowledge | null>>
  readonly found: readonly FoundFile[]
  /** the listed file that is heard, or about to be */
  readonly auditioned: string | undefined
  /** by part of a file: how far the analysis that is running has come, 0–1 */
  readonly analysing: Readonly<Record<string, number>>
  readonly renders: Readonly<Record<string, RenderState>>
  /** by variant */
  readonly trials: Readonly<Record<string, TrialState>>
  /** a comparison without names that is going on */
  /** by source: how far finding out what there is to know of it has come, 0 to 1 */
  readonly listened: Readonly<Record<string, number>>
  /** by a part's recipe as it lies: what was measured of it */
  readonly partTrials: Readonly<Record<string, Trial>>
  readonly blind: BlindRun | undefined
  readonly tried: TriedState | undefined
  /** by variant */
  readonly explored: Readonly<Record<string, ExploredState>>
  /** by lane: what its spectrogram was last made of */
  readonly spectra: Readonly<Record<string, SpectrumState>>
  /** by part of a source */
  readonly sweeps: Readonly<Record<string, SweepState>>
  /** by source */
  readonly advice: Readonly<Record<string, AdviceState>>
  readonly exports: Readonly<Record<string, ExportState>>
  /** files of the Export view: waiting, being made, and done */
  readonly queue: readonly QueuedFile[]
  /** listed files that are brought to one target */
  readonly batch: BatchState | undefined
  /** files being read in */
  readonly arrivals: readonly Arrival[]
  readonly notices: readonly Notice[]
  /** a lane plays */
  readonly playing: boolean
  /** the timeline plays */
  readonly mixPlaying: boolean
  /** the timeline plays as soon as there is something to hear */
  readonly mixAwaited: boolean
  /** the section that is gone to next, once its beat has come */
  readonly queuedJump: QueuedJump | undefined
  readonly recording: boolean
  /** the joined lane that lanes are painted into while they are heard: the id of its variant */
  readonly painting: string | undefined
  /** the attack, or other moment, that timing is about: seconds of its source's file */
  readonly chosenMoment: ChosenMoment | undefined
  /** a pick that is being marked: where it began, seconds of its source's file */
  readonly marking: number | undefined
  /** instruments that can be played now */
  readonly readyInstruments: ReadonlySet<string>
  /** pads and keys that are held */
  readonly struck: ReadonlySet<string>
  /** a take is recorded */
  readonly taking: boolean
  /** an overdub that goes round: its beats, and what it holds by now */
  readonly round: { readonly beats: number; readonly beatsPerBar: number; readonly notes: number } | undefined
  /** by pick and what it is of: how it looks and sounds */
  readonly glances: Readonly<Record<string, Glance>>
  /** pairs that promise most as an imprint, the best first */
  readonly pairs: readonly PromisingPair[]
}

export const store = createStore<State>(() => ({
  ready: false,
  access: { kind: 'writes' },
  unsaved: undefined,
  aside: [],
  offered: undefined,
  offeredKin: [],
  fileWork: undefined,
  history: startHistory<Session>({ version: SESSION_VERSION, bpm: 96, ...NO_TIMELINE, sources: [] }),
  outlook: firstOutlook('ink'),
  loads: {},
  mixFacts: {},
  analyses: {},
  analysing: {},
  knowledge: {},
  found: [],
  auditioned: undefined,
  listened: {},
  renders: {},
  trials: {},
  partTrials: {},
  advice: {},
  tried: undefined,
  sweeps: {},
  spectra: {},
  explored: {},
  blind: undefined,
  exports: {},
  queue: [],
  batch: undefined,
  arrivals: [],
  notices: [],
  playing: false,
  mixPlaying: false,
  mixAwaited: false,
  queuedJump: undefined,
  recording: false,
  painting: undefined,
  chosenMoment: undefined,
  marking: undefined,
  readyInstruments: new Set<string>(),
  struck: new Set<string>(),
  taking: false,
  round: undefined,
  glances: {},
  pairs: [],
}))

export function useSession<T>(select: (state: State) => T): T {
  return useStore(store, select)
}

export const selectedSource = (state: State): Source | undefined =>
  state.history.present.sources.find((source) => source.id === state.outlook.selectedId)

/** The lane that is heard: the reference, or a variant that still exists. */
export function activeLane(state: State, source: Source): string {
  const active = state.outlook.lanes[source.id]?.active ?? REFERENCE
  return source.variants.some((variant) => variant.id === active) ? active : REFERENCE
}

/** The variant that settings and export are about: the one last listened to. */
export function chosenVariant(state: State, source: Source): Variant | undefined {
  const lane = state.outlook.lanes[source.id]
  return (
    // who paints a lane goes on seeing that one
    source.variants.find(({ id }) => id === state.painting) ??
    source.variants.find((variant) => variant.id === lane?.active) ??
    source.variants.find((variant) => variant.id === lane?.chosen) ??
    source.variants[0]
  )
}
