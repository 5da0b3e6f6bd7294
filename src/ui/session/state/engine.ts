import { createWorkerPool } from '../../../engine'
import {
  createFileKeeper,
  createFoundKeeper,
  createKnowledgeKeeper,
  createTrialKeeper,
  openDatabase,
} from '../../../storage'
import { createAudioShelf } from '../files/audioShelf'

/** The one database, worker pool and shelf of sounds in memory that all of the session shares. */
export const database = openDatabase()
export const files = createFileKeeper(database)
export const knowledgeRows = createKnowledgeKeeper(database)
export const trialRows = createTrialKeeper(database, () => Date.now())
export const foundRows = createFoundKeeper(database)
export const pool = createWorkerPool()
export const shelf = createAudioShelf(pool, files.get)
