import Dexie, { type EntityTable, type Table } from 'dexie'

/** The session as it was last, one row; its shape is checked where it is read. */
export interface SessionRow {
  id: 'current'
  savedAt: number
  session: unknown
}

/** The bytes of a source's file, untouched; those of a large one lie in parts. */
export interface FileRow {
  sourceId: string
  file: string
  bytes: Blob | undefined
}

/** A part of a large file's bytes, counted from 0. */
export interface FilePartRow {
  sourceId: string
  n: number
  bytes: Blob
}

/** What was found out about a file, by the hash of its bytes; its shape is checked where it is read. */
export interface KnowledgeRow {
  hash: string
  knowledge: unknown
}

/** What was measured of one result, by what it is a result of; the oldest go when there are many. */
export interface TrialRow {
  key: string
  savedAt: number
  trial: unknown
}

/** A file that was listed and not taken in: where it lay in its folder, its bytes, and what became known of it. */
export interface FoundRow {
  id: string
  path: string
  bytes: Blob
  facts: unknown
  error: string | undefined
}

export type Database = Dexie & {
  sessions: EntityTable<SessionRow, 'id'>
  files: EntityTable<FileRow, 'sourceId'>
  fileParts: Table<FilePartRow, [sourceId: string, n: number]>
  knowledge: EntityTable<KnowledgeRow, 'hash'>
  found: EntityTable<FoundRow, 'id'>
  trials: EntityTable<TrialRow, 'key'>
}

export function openDatabase(name = 'zumbet'): Database {
  const database = new Dexie(name) as Database
  database.version(1).stores({ sessions: 'id', files: 'sourceId' })
  database.version(2).stores({ sessions: 'id', files: 'sourceId', knowledge: 'hash', found: 'id' })
  database.version(3).stores({ trials: 'key, savedAt' })
  database.version(4).stores({ fileParts: '[sourceId+n], sourceId' })
  return database
}
