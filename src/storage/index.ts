export { type FoundRow, openDatabase } from './database'
export {
  createFileKeeper,
  createFoundKeeper,
  createKnowledgeKeeper,
  createSessionKeeper,
  createTrialKeeper,
} from './sessionKeeper'
