import type {
  Analysis,
  AnalysisNeed,
  Arrangement,
  Attack,
  Comings,
  Contest,
  DecodedFile,
  Delivery,
  ExportOrder,
  ExportPlan,
  Giving,
  HarmTold,
  Imprint,
  Instrument,
  KnowOptions,
  Levels,
  Look,
  MixFacts,
  MixOrder,
  Moment,
  MomentsAsked,
  Overview,
  PieceFacts,
  PlayedHold,
  PlayedNote,
  Progress,
  Recipe,
  Rhythm,
  Shaping,
  SoundTags,
  Span,
  Spectrogram,
  Survey,
  SurveyedSound,
  SurveyPart,
  Timbre,
  Tones,
  Trial,
} from '../core'
import type { DeliveredFacts, Said } from '../host/encode/delivering'
import type { WireError } from '../host/errorWire'
import type { ExportSettings, FoundFacts } from '../session'
import type { PictureFacts } from './readFilm'
import type { Sound } from './sound'

/** What is known of a sound once it has been read or rendered. */
export type SoundFacts = Survey

/** A file that was read, with what its header said. */
export interface DecodedSound extends Omit<DecodedFile, 'audio'> {
  readonly sound: Sound
  /** of a film that can be shown */
  readonly picture?: PictureFacts
}

/** results up to this length are kept for measuring */
export const KEPT_SECONDS = 120

/** What is known of a file that was only listed: enough to sort it, show it and judge it. */
export type FileFacts = FoundFacts

export type Job =
  | { readonly kind: 'decode'; readonly blob: Blob; readonly file: string }
  /** its samples alone, as soon as may be; those of a sound of more than `most` stay in its file, where they can */
  | { readonly kind: 'open'; readonly blob: Blob; readonly file: string; readonly most?: number }
  /** the tempo that a file is tagged with */
  | { readonly kind: 'taggedTempo'; readonly blob: Blob; readonly file: string }
  /** how loud a sound is where */
  | { readonly kind: 'levels'; readonly sound: Sound }
  /** level and drawing of a part of a sound */
  | { readonly kind: 'survey'; readonly sound: Sound }
  /** what there is to know of a sound comes in halves that go side by side */
  | { readonly kind: 'knowRhythm'; readonly sound: Sound; readonly options: KnowOptions }
  | { readonly kind: 'knowTones'; readonly sound: Sound }
  /** attacks by an ear that is set: 0 to 1, 0.5 is the usual one */
  | { readonly kind: 'attacksAt'; readonly sound: Sound; readonly sensitivity: number }
  /** all of a listed file at once; its samples stay in the worker */
  | { readonly kind: 'gather'; readonly blob: Blob; readonly file: string }
  | {
      readonly kind: 'analyse'
      readonly sound: Sound
      readonly needs: readonly AnalysisNeed[]
      readonly known: Analysis
    }
  /** draw a result; its samples are handed out where they are wanted and not too many */
  | {
      readonly kind: 'render'
      readonly sound: Sound
      readonly recipe: Recipe
      readonly analysis?: Analysis
      readonly keep: boolean
    }
  /** the pieces that a long result falls into */
  | { readonly kind: 'outline'; readonly sound: Sound; readonly recipe: Recipe; readonly analysis: Analysis }
  /** draw one of them; its samples go to where there is room for them, `into[channel][frame of the result]` */
  | {
      readonly kind: 'renderPiece'
      readonly sound: Sound
      readonly recipe: Recipe
      readonly analysis: Analysis
      readonly frames: number
      readonly span: Span
      readonly into: readonly Float32Array[]
    }
  | { readonly kind: 'joinSurveys'; readonly of: SurveyedSound; readonly parts: readonly SurveyPart[] }
  /**
   * measure a result: from its samples where they were kept, otherwise the `seconds` of it that tell most. What is
   * read of the source that `readingKey` names is kept for the next result.
   */
  | {
      readonly kind: 'measure'
      readonly sound: Sound
      readonly result?: Sound | undefined
      readonly seconds: number
      readonly recipe: Recipe
      readonly analysis: Analysis
      readonly readingKey: string
    }
  /** over which stretches of time lanes of one sound are held against each other */
  | {
      readonly kind: 'contest'
      readonly sound: Sound
      readonly lanes: readonly Recipe[]
      readonly analysis: Analysis
    }
  /** one look at a lane; what is read of the source that `readingKey` names is kept for the next one */
  | {
      readonly kind: 'look'
      readonly sound: Sound
      readonly look: Look
      readonly analysis: Analysis
      readonly readingKey: string
    }
  /** how far a voice gives way, moment by moment */
  | { readonly kind: 'giving'; readonly sound: Sound; readonly known: Analysis }
  /** levels over time and frequency of a part of a result, or of the sound itself; output frames, end exclusive */
  | {
      readonly kind: 'spectrogram'
      readonly sound: Sound
      readonly recipe: Recipe | undefined
      readonly analysis: Analysis
      readonly from: number
      readonly to: number
      readonly columns: number
      readonly fftFrames: number
    }
  /** a part of a result, or of the sound itself, as a small file to be listened to; output frames, end exclusive */
  | {
      readonly kind: 'clip'
      readonly sound: Sound
      readonly recipe: Recipe | undefined
      readonly analysis: Analysis
      readonly from: number
      readonly to: number
      readonly gain: number
    }
  /** what lies on a timeline as one file: all of it, some rows of it, or its click alone */
  | {
      readonly kind: 'mix'
      readonly arrangement: Arrangement
      readonly order: MixOrder
      /** by what parts call their sounds */
      readonly sounds: Readonly<Record<string, { readonly sound: Sound; readonly analysis: Analysis }>>
      readonly what: { readonly rows?: readonly number[]; readonly parts: boolean; readonly clickGain: number }
      readonly folder: string | undefined
    }
  /** the samples of a part of a result, or of the sound itself; output frames, end exclusive */
  | {
      readonly kind: 'span'
      readonly sound: Sound
      readonly recipe: Recipe | undefined
      readonly analysis: Analysis
      readonly from: number
      readonly to: number
    }
  /** how such a part looks and sounds */
  | {
      readonly kind: 'glance'
      readonly sound: Sound
      readonly recipe: Recipe | undefined
      readonly analysis: Analysis
      readonly from: number
      readonly to: number
    }
  /** how much a sound comes and goes */
  | { readonly kind: 'comings'; readonly sound: Sound }
  /** the moments of a result that differ most from each other */
  | {
      readonly kind: 'moments'
      readonly sound: Sound
      readonly recipe: Recipe | undefined
      readonly analysis: Analysis
      readonly asked: MomentsAsked
    }
  /** what was played, as a file of stereo */
  | {
      readonly kind: 'take'
      readonly sounds: Readonly<Record<string, { readonly sound: Sound; readonly analysis: Analysis }>>
      readonly instruments: readonly { readonly order: Instrument; readonly sound: string }[]
      readonly notes: readonly PlayedNote[]
      /** places that were led by hand; `sound` is what a sound is given as */
      readonly holds: readonly (Omit<PlayedHold, 'audio'> & { readonly sound: string; readonly shaping: Shaping })[]
      /** the instruments that are heard; all without */
      readonly only?: readonly string[]
      readonly order: MixOrder
      readonly folder: string | undefined
    }
  /** one sound shaped by another, as a file */
  | {
      readonly kind: 'imprint'
      readonly body: ImprintSide
      readonly rhythm: ImprintSide
      readonly by: Imprint
      readonly folder: string | undefined
    }
  | {
      readonly kind: 'planExport'
      readonly sound: Sound
      readonly order: ExportOrder
      readonly analysis?: Analysis
    }
  /** one piece of a planned file; pieces can be made in any order */
  | {
      readonly kind: 'exportPiece'
      readonly sound: Sound
      readonly order: ExportOrder
      readonly plan: Pick<ExportPlan, 'analysis' | 'pieces'>
      readonly piece: number
      /** of the browser's own disk: where its bytes lie if not in memory */
      readonly folder: string | undefined
    }

  /** a file of another kind, or of another level, made of a draft: a WAV file that holds the result and its marks */
  | {
      readonly kind: 'deliver'
      readonly draft: Blob
      readonly delivery: Delivery
      readonly said: Said
      /** frames of the file; as many as the draft has without */
      readonly frames?: number
      readonly folder: string | undefined
    }
  /** all of one file of a batch at once: its samples stay in the worker */
  | {
      readonly kind: 'batchFile'
      readonly blob: Blob
      readonly file: string
      /** the method of `recipe` gives way to the one that harms this sound least */
      readonly advised: boolean
      readonly recipe: Recipe
      /** attacks that are known already */
      readonly attacks: readonly Attack[]
      /** integrated, LUFS */
      readonly loudness: number
      readonly settings: ExportSettings
      readonly tags: SoundTags
      readonly measure: boolean
      readonly folder: string | undefined
    }

/** What came of a file of a batch. */
export interface BatchMade {
  readonly blob: Blob
  readonly methodId: string
  readonly frames: number
  readonly rate: number
  /** of the result, full scale is 1 */
  readonly peak: number
  readonly clippedSamples: number
  /** where it was brought to a level */
  readonly lufs?: number
  readonly harm?: HarmTold
}

/** A sound, or what a recipe makes of it. */
export interface ImprintSide {
  readonly sound: Sound
  readonly recipe: Recipe | undefined
  readonly analysis: Analysis
}

/** How a piece looks and sounds. */
export interface Glance {
  /** its highest sample in each of a few equal runs */
  readonly high: readonly number[]
  /** LUFS */
  readonly loudness: number
  readonly timbre: Timbre
}

export interface JobResults {
  decode: {
    readonly decoded: DecodedSound
    readonly facts: SoundFacts
    readonly hash: string
    readonly taggedBpm: number | undefined
  }
  open: Sound
  taggedTempo: number | undefined
  levels: Levels
  survey: SoundFacts
  knowRhythm: Rhythm
  knowTones: Tones
  attacksAt: readonly Attack[]
  gather: FileFacts
  analyse: Analysis
  outline: readonly Span[]
  renderPiece: SurveyPart
  joinSurveys: SoundFacts
  render: { readonly facts: SoundFacts; readonly result: Sound | undefined }
  measure: Trial
  contest: Contest
  look: Trial
  giving: Giving
  spectrogram: Spectrogram
  clip: { readonly blob: Blob; readonly overview: Overview }
  mix: { readonly blob: Blob; readonly facts: MixFacts }
  span: Sound
  glance: Glance
  comings: Comings
  moments: readonly Moment[]
  take: { readonly blob: Blob; readonly frames: number }
  imprint: { readonly blob: Blob }
  planExport: ExportPlan
  exportPiece: { readonly blob: Blob; readonly facts: PieceFacts }
  deliver: { readonly blob: Blob; readonly facts: DeliveredFacts }
  batchFile: BatchMade
}

export type JobMessage =
  /** `background`: nobody waits for it */
  | { readonly type: 'run'; readonly jobId: number; readonly job: Job; readonly background: boolean }
  /** from now on work in the background rests for so long at every breath, which comes every 12 ms; 0: not at all */
  | { readonly type: 'gentle'; readonly restMs: number }
  /** the counters of the ring that sound is played from: while little is written there, all work waits */
  | { readonly type: 'beside'; readonly control: SharedArrayBuffer }
  | { readonly type: 'cancel' | 'pause' | 'resume'; readonly jobId: number }

export type JobReport =
  | { readonly type: 'progress'; readonly jobId: number; readonly progress: Progress }
  | { readonly type: 'done'; readonly jobId: number; readonly result: JobResults[keyof JobResults] }
  | { readonly type: 'failed'; readonly jobId: number; readonly error: WireError }
  | { readonly type: 'cancelled'; readonly jobId: number }
