export { openDatabase } from './database'
export { createFileKeeper, createSessionKeeper } from './sessionKeeper'
