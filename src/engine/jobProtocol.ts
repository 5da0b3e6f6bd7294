import type {
  Analysis,
  AnalysisNeed,
  AudioBlock,
  DecodedFile,
  ExportFacts,
  ExportOrder,
  Overview,
  Progress,
  Recipe,
} from '../core'
import type { WireError } from '../host/errorWire'

/** What is known of a sound once it has been read or rendered. */
export interface SoundFacts {
  readonly overview: Overview
  readonly frames: number
  /** largest absolute sample */
  readonly peak: number
  /** integrated, LUFS; −Infinity for silence */
  readonly loudness: number
}

export type Job =
  | { readonly kind: 'decode'; readonly bytes: ArrayBuffer; readonly file: string }
  | {
      readonly kind: 'analyse'
      readonly audio: AudioBlock
      readonly needs: readonly AnalysisNeed[]
      readonly known: Analysis
    }
  | { readonly kind: 'render'; readonly audio: AudioBlock; readonly recipe: Recipe; readonly analysis?: Analysis }
  | { readonly kind: 'export'; readonly audio: AudioBlock; readonly order: ExportOrder; readonly analysis?: Analysis }

export interface JobResults {
  decode: { readonly decoded: DecodedFile; readonly facts: SoundFacts }
  analyse: Analysis
  render: SoundFacts
  export: { readonly blob: Blob; readonly facts: ExportFacts }
}

export type JobMessage =
  | { readonly type: 'run'; readonly jobId: number; readonly job: Job }
  | { readonly type: 'cancel'; readonly jobId: number }

export type JobReport =
  | { readonly type: 'progress'; readonly jobId: number; readonly progress: Progress }
  | { readonly type: 'done'; readonly jobId: number; readonly result: JobResults[keyof JobResults] }
  | { readonly type: 'failed'; readonly jobId: number; readonly error: WireError }
  | { readonly type: 'cancelled'; readonly jobId: number }
