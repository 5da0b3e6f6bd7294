import Dexie, { type EntityTable, type Table } from 'dexie'

/** The session as it was last. Its shape is checked where it is read. Until version 5 it held the outlook. */
export interface SessionRow {
  id: 'current'
  savedAt: number
  session: unknown
  /** counts up with each write: whoever writes over another one's notices */
  revision?: number
  /** who wrote it: one page, as long as it lives */
  writer?: string
}

/** What the eye and ear were on, one row. */
export interface OutlookRow {
  id: 'current'
  outlook: unknown
}

/** The bytes of a file as it came, by their hash; those of a large one lie in parts. */
export interface ContentRow {
  hash: string
  size: number
  bytes?: Blob
  /** by which its parts are found */
  parts?: string
}

/** Until version 5: the bytes of a source's file by the source's id. */
export interface FileRow {
  sourceId: string
  file: string
  bytes: Blob | undefined
}

/** A part of a large file's bytes, counted from 0. `sourceId` names the parts; once it was a source's id. */
export interface FilePartRow {
  sourceId: string
  n: number
  bytes: Blob
}

/** A file that was brought in and has not been read yet. */
export interface ArrivalRow {
  id: string
  /** in which they came */
  order: number
  name: string
  size: number
  /** as of a content */
  bytes?: Blob
  parts?: string
  /** how often its reading was begun */
  tries: number
}

/** What could not be read, or not as it was: as it lay there. */
export interface AsideRow {
  id: string
  at: number
  what: 'session' | 'outlook'
  why: string
  raw: unknown
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

/** A folder or file of the computer that this browser may write to, as long as its user lets it. */
export interface PlaceRow {
  id: string
  handle: FileSystemHandle
}

/** A batch as it runs: what holds for all of it, or one of its files; what was made, until it is put away. */
export interface BatchStoredRow {
  id: string
  state: unknown
  made?: Blob
}

export type Database = Dexie & {
  sessions: EntityTable<SessionRow, 'id'>
  outlooks: EntityTable<OutlookRow, 'id'>
  contents: EntityTable<ContentRow, 'hash'>
  files: EntityTable<FileRow, 'sourceId'>
  fileParts: Table<FilePartRow, [sourceId: string, n: number]>
  arrivals: EntityTable<ArrivalRow, 'id'>
  aside: EntityTable<AsideRow, 'id'>
  knowledge: EntityTable<KnowledgeRow, 'hash'>
  found: EntityTable<FoundRow, 'id'>
  trials: EntityTable<TrialRow, 'key'>
  places: EntityTable<PlaceRow, 'id'>
  batch: EntityTable<BatchStoredRow, 'id'>
}

export function openDatabase(name = 'zumbet'): Database {
  const database = new Dexie(name) as Database
  database.version(1).stores({ sessions: 'id', files: 'sourceId' })
  database.version(2).stores({ sessions: 'id', files: 'sourceId', knowledge: 'hash', found: 'id' })
  database.version(3).stores({ trials: 'key, savedAt' })
  database.version(4).stores({ fileParts: '[sourceId+n], sourceId' })
  // nothing is moved: what lies where it lay is read there, and written anew in its place
  database.version(5).stores({ outlooks: 'id', contents: 'hash', arrivals: 'id', aside: 'id' })
  database.version(6).stores({ places: 'id' })
  database.version(7).stores({ batch: 'id' })
  return database
}
