import Dexie, { type EntityTable } from 'dexie'

/** The session as it was last, one row; its shape is checked where it is read. */
export interface SessionRow {
  id: 'current'
  savedAt: number
  session: unknown
}

/** The bytes of a source's file, untouched. */
export interface FileRow {
  sourceId: string
  file: string
  bytes: Blob
}

export type Database = Dexie & {
  sessions: EntityTable<SessionRow, 'id'>
  files: EntityTable<FileRow, 'sourceId'>
}

export function openDatabase(name = 'zumbet'): Database {
  const database = new Dexie(name) as Database
  database.version(1).stores({ sessions: 'id', files: 'sourceId' })
  return database
}
