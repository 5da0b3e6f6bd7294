export { createWorkerPool, type JobPool, WORKERS_ALONE, WORKERS_BESIDE_PLAYBACK } from './jobPool'
export type { SoundFacts } from './jobProtocol'
export type { Program } from './laneMixer'
export { createPlayback, type Playback } from './playback'
