export type { AuditionOrder } from './audition'
export { type Film, openFilm, type Picture, type PictureRun } from './film'
export { createWorkerPool, type JobPool, WORKERS_ALONE, WORKERS_BESIDE_PLAYBACK } from './jobPool'
export {
  type DecodedSound,
  type FileFacts,
  type Glance,
  type Job,
  type JobResults,
  KEPT_SECONDS,
  type SoundFacts,
} from './jobProtocol'
export type { Program } from './laneMixer'
export type { ClickTrack } from './metronome'
export type { NotedEvent, NoteEvent } from './notes'
export { createPlayback } from './playback'
export type { GivenInstrument, HandEvent, LedEvent, MixSound } from './playerProtocol'
export { type InputDevice, inputDevices, type Recording, SIMULATED_INPUT, startRecording } from './recorder'
export { clearScratch, scratchFolder } from './scratch'
export { sharedSamples } from './sharedMemory'
export {
  amongSounds,
  hasLevels,
  isInMemory,
  isLong,
  MOST_SAMPLES_TOGETHER,
  partOfSound,
  type Sound,
  samplesHeld,
  soundInMemory,
  withLevels,
} from './sound'
