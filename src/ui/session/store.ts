import { useStore } from 'zustand'
import { createStore } from 'zustand/vanilla'
import type { Analysis, Knowledge } from '../../core'
import type { FileFacts, SoundFacts } from '../../engine'
import { type History, startHistory } from './history'
import { firstOutlook, type Outlook, REFERENCE, type Session, type Source, type Variant } from './model'

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
  /** stretch that `facts` were made with */
  readonly factsStretch?: number
}

export interface LoadState {
  readonly status: 'loading' | 'ready' | 'failed'
  readonly facts?: SoundFacts
  readonly error?: unknown
}

export interface ExportState {
  readonly name: string
  readonly progress: number
}

/** Something to tell that asks for no answer; `undo` offers to take back what it tells of. */
export interface Notice {
  readonly id: number
  readonly tone: 'plain' | 'trouble'
  readonly text: string
  readonly undo?: boolean
}

export interface Arrival {
  readonly id: string
  readonly file: string
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

export interface State {
  readonly ready: boolean
  readonly history: History<Session>
  readonly outlook: Outlook
  readonly loads: Readonly<Record<string, LoadState>>
  /** by part of a source (`soundKey`): what methods need to know of it, so far */
  readonly analyses: Readonly<Record<string, Analysis>>
  /** by source: what is known of the whole file; null while it is being found out */
  readonly knowledge: Readonly<Record<string, Knowledge | null>>
  readonly found: readonly FoundFile[]
  /** the listed file that is heard, or about to be */
  readonly auditioned: string | undefined
  /** by part of a source: how far the analysis that is running has come, 0–1 */
  readonly analysing: Readonly<Record<string, number>>
  readonly renders: Readonly<Record<string, RenderState>>
  readonly exports: Readonly<Record<string, ExportState>>
  /** files being read in */
  readonly arrivals: readonly Arrival[]
  readonly notices: readonly Notice[]
  readonly playing: boolean
  readonly recording: boolean
}

export const store = createStore<State>(() => ({
  ready: false,
  history: startHistory<Session>({ version: 1, bpm: 96, sources: [] }),
  outlook: firstOutlook('ink'),
  loads: {},
  analyses: {},
  analysing: {},
  knowledge: {},
  found: [],
  auditioned: undefined,
  renders: {},
  exports: {},
  arrivals: [],
  notices: [],
  playing: false,
  recording: false,
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
    source.variants.find((variant) => variant.id === lane?.active) ??
    source.variants.find((variant) => variant.id === lane?.chosen) ??
    source.variants[0]
  )
}
