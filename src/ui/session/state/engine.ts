import { createWorkerPool } from '../../../engine'
import { kinOf } from '../../../session'
import {
  createArrivalKeeper,
  createAsideKeeper,
  createBatchKeeper,
  createContentKeeper,
  createFoundKeeper,
  createKnowledgeKeeper,
  createPlaceKeeper,
  createTrialKeeper,
  openDatabase,
} from '../../../storage'
import { createAudioShelf } from '../files/audioShelf'
import { store } from './store'

/** The one database, worker pool and shelf of sounds in memory that all of the session shares. */
export const database = openDatabase()
export const contents = createContentKeeper(database)
export const arrivalRows = createArrivalKeeper(database)
export const asideRows = createAsideKeeper(database, () => Date.now())
export const knowledgeRows = createKnowledgeKeeper(database)
export const trialRows = createTrialKeeper(database, () => Date.now())
export const places = createPlaceKeeper(database)
export const foundRows = createFoundKeeper(database)
export const batchRows = createBatchKeeper(database)
export const pool = createWorkerPool()
export const shelf = createAudioShelf(pool, contents.get, (source) =>
  kinOf(store.getState().history.present.sources, source),
)
