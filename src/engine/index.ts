export { createWorkerPool, type JobPool } from './jobPool'
export type { SoundFacts } from './jobProtocol'
export type { Program } from './laneMixer'
export { createPlayback, type Playback } from './playback'
