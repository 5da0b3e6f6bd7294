import { configure, type Entry, type FileEntry, Reader, Writer, ZipReader, ZipWriter } from '@zip.js/zip.js'
import { AppError } from '../core'
import { plainText } from './plainText'
import { readSession, type SessionRead } from './readSession'
import { SESSION_VERSION, type Session, type Source } from './schema'

/**
 * A session file, `.zumbet`, is a zip of `session.json` and the sounds as they came, `audio/HASH.ending`.
 * Zips made by hand are read too: their sounds lie where each source's `file` says. docs/session.md tells it all.
 */

// the page's policy lets no worker come from text, and sounds are stored as they are: there is little to do
configure({ useWebWorkers: false })

const LIMITS = {
  entries: 20_000,
  jsonBytes: 2 ** 25,
  audioBytes: 2 ** 34,
  /** how much more may come out of a zip than it has bytes: sound packs to a half, silence to a thousandth */
  growth: 1100,
  nameLength: 500,
} as const

/** Bytes that can be asked for a part at a time: a blob's, a file's. */
export interface PartBytes {
  readonly length: number
  read(at: number, count: number): Promise<Uint8Array> | Uint8Array
}

export const partsOfBlob = (blob: Blob): PartBytes => ({
  length: blob.size,
  read: async (at, count) => new Uint8Array(await blob.slice(at, at + count).arrayBuffer()),
})

class PartReader extends Reader<PartBytes> {
  private readonly bytes: PartBytes
  constructor(bytes: PartBytes) {
    super(bytes)
    this.bytes = bytes
    this.size = bytes.length
  }
  override async readUint8Array(index: number, length: number): Promise<Uint8Array<ArrayBuffer>> {
    return (await this.bytes.read(index, Math.min(length, this.size - index))) as Uint8Array<ArrayBuffer>
  }
}

/** Where bytes go as they come. */
export type Sink = (bytes: Uint8Array<ArrayBuffer>) => void | Promise<void>

class SinkWriter extends Writer<void> {
  private written = 0
  private readonly sink: Sink
  private readonly most: number
  constructor(sink: Sink, most: number) {
    super()
    this.sink = sink
    this.most = most
  }
  override async writeUint8Array(bytes: Uint8Array) {
    this.written += bytes.length
    if (this.written > this.most) throw new AppError('session-file/bomb', {})
    await this.sink(bytes as Uint8Array<ArrayBuffer>)
  }
  override async getData() {}
}

/** bytes that may lie in arrays: blobs may leave the memory, arrays may not */
const LOOSE_BYTES = 2 ** 23

/** A sink whose bytes come to a blob. */
export function blobSink(): { sink: Sink; finish(type?: string): Blob } {
  const parts: Blob[] = []
  let loose: Uint8Array<ArrayBuffer>[] = []
  let size = 0
  return {
    sink(bytes) {
      loose.push(bytes.slice())
      size += bytes.length
      if (size < LOOSE_BYTES) return
      parts.push(new Blob(loose))
      loose = []
      size = 0
    },
    finish: (type = '') => new Blob([...parts, ...loose], { type }),
  }
}

export interface OpenSessionFile {
  readonly read: SessionRead
  /** as it lay in the file */
  readonly raw: unknown
  /** names of entries that were left out: paths that lead out of the file, folders apart */
  readonly strange: readonly string[]
  /** How many bytes the sound of a source has; undefined where the file has none of it. */
  sizeOf(source: Source): number | undefined
  /**
   * The sound of a source, as it came.
   * @throws {AppError} `session-file/missing`, `session-file/damaged`
   */
  extract(source: Source, sink: Sink): Promise<void>
  /**
   * Where the sound of a source lies in the file just as it is, neither packed nor locked, under its hash.
   * It is not looked at: only its hash tells whether it is whole.
   */
  stored(source: Source): Promise<StoredSound | undefined>
  close(): Promise<void>
}

/** Bytes of a session file, counted from its start. */
export interface StoredSound {
  readonly at: number
  readonly length: number
  /** what they should come to, SHA-256 */
  readonly hash: string
}

/**
 * A session file is looked at before it is believed: how many entries, how large, where their names lead.
 * What comes out of it is counted.
 * @throws {AppError} `session-file/unreadable`, `session-file/bomb`, with `file`.
 */
export async function openSessionFile(bytes: PartBytes, file: string): Promise<OpenSessionFile> {
  const unreadable = (why: string, cause?: unknown) => new AppError('session-file/unreadable', { file, why }, cause)
  // names are looked at below: one that leads out of the file loses itself, not the others
  const zip = new ZipReader(new PartReader(bytes), { filenameValidation: 'tolerant' })
  let entries: Entry[]
  try {
    entries = []
    for await (const entry of zip.getEntriesGenerator()) {
      entries.push(entry)
      if (entries.length > LIMITS.entries) throw new AppError('session-file/bomb', { file })
    }
  } catch (error) {
    await zip.close().catch(() => undefined)
    throw error instanceof AppError ? error : unreadable('it is no zip, or is cut off', error)
  }
  const whole = entries.filter((entry): entry is FileEntry => !entry.directory)
  const known = whole.filter(({ filename }) => isSafePath(filename))
  const strange = whole.filter((entry) => !known.includes(entry)).map(({ filename }) => filename.slice(0, 200))
  const total = known.reduce((sum, { uncompressedSize }) => sum + uncompressedSize, 0)
  if (total > Math.min(LIMITS.audioBytes, LIMITS.growth * bytes.length))
    throw new AppError('session-file/bomb', { file })

  const take = async (entry: FileEntry, sink: Sink) => {
    if (entry.encrypted) throw unreadable('it is locked with a password')
    try {
      await entry.getData(new SinkWriter(sink, entry.uncompressedSize), { checkSignature: true })
    } catch (error) {
      throw error instanceof AppError
        ? error
        : new AppError('session-file/damaged', { file, name: entry.filename }, error)
    }
  }

  const json = known.find(({ filename }) => filename === 'session.json')
  if (!json) throw unreadable('it holds no session.json')
  if (json.uncompressedSize > LIMITS.jsonBytes) throw new AppError('session-file/bomb', { file })
  const { sink, finish } = blobSink()
  await take(json, sink)
  const raw = parseSession(await finish().text(), file)

  const byName = new Map(known.map((entry) => [entry.filename, entry]))
  const byHash = new Map(known.flatMap((entry) => (hashIn(entry) ? [[hashIn(entry) as string, entry]] : [])))
  const entryOf = (source: Source) =>
    byHash.get(source.hash ?? '') ?? byName.get(source.file) ?? byName.get(source.file.replace(/^.*[\\/]/, ''))

  return {
    read: readSession(raw),
    raw,
    strange,
    sizeOf: (source) => entryOf(source)?.uncompressedSize,
    async extract(source, out) {
      const entry = entryOf(source)
      if (!entry) throw new AppError('session-file/missing', { file, name: source.name })
      await take(entry, out)
    },
    async stored(source) {
      const entry = entryOf(source)
      const hash = entry && hashIn(entry)
      const { compressionMethod, encrypted, compressedSize, uncompressedSize: length, offset } = entry ?? {}
      if (!hash || encrypted || compressionMethod !== 0 || compressedSize !== length) return undefined
      const head = await bytes.read(offset as number, LOCAL_HEAD_BYTES)
      if (head.length < LOCAL_HEAD_BYTES) return undefined
      const view = new DataView(head.buffer, head.byteOffset, head.length)
      if (view.getUint32(0, true) !== LOCAL_HEAD) return undefined
      const at = (offset as number) + LOCAL_HEAD_BYTES + view.getUint16(26, true) + view.getUint16(28, true)
      return at + (length as number) <= bytes.length ? { at, length: length as number, hash } : undefined
    },
    close: () => zip.close(),
  }
}

/** what stands before each entry's bytes: a mark, and behind 30 bytes its name and more */
const LOCAL_HEAD = 0x04034b50
const LOCAL_HEAD_BYTES = 30

/** @throws {AppError} `session-file/unreadable` for what is no JSON. */
export function parseSession(text: string, file: string): unknown {
  try {
    return JSON.parse(text)
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error)
    throw new AppError('session-file/unreadable', { file, why: `its session is no JSON (${why})` }, error)
  }
}

const hashIn = ({ filename }: Entry) => /^audio\/([0-9a-f]{64})(\.[A-Za-z0-9]{1,8})?$/.exec(filename)?.[1]

/** Whether a name stays below where the file lies: no way up, no root, no drive, nothing that cannot be seen. */
export function isSafePath(name: string): boolean {
  const parts = name.split('/')
  const isHidden = [...name].some((letter) => (letter.codePointAt(0) ?? 0) < 32)
  return (
    name.length > 0 &&
    name.length <= LIMITS.nameLength &&
    !isHidden &&
    !/[\\:]/.test(name) &&
    parts.every((part) => part !== '' && part !== '.' && part !== '..')
  )
}

export interface FileSound {
  readonly hash: string
  readonly bytes: PartBytes
  /** the name that it came with: its ending goes into the zip */
  readonly file: string
}

/**
 * Write a session and its sounds, one after the other as they are asked for. Sounds are stored as they are.
 * @param now  for the dates in the zip.
 */
export async function writeSessionFile(
  session: Session,
  sounds: AsyncIterable<FileSound> | Iterable<FileSound>,
  sink: Sink,
  now: Date,
) {
  const zip = new ZipWriter(new SinkWriter(sink, Number.POSITIVE_INFINITY), { level: 0, lastModDate: now })
  await zip.add('session.json', new PartReader(bytesOfText(plainText(session))))
  const done = new Set<string>()
  for await (const { hash, bytes, file } of sounds) {
    if (done.has(hash)) continue
    done.add(hash)
    await zip.add(`audio/${hash}${/\.[A-Za-z0-9]{1,8}$/.exec(file)?.[0].toLowerCase() ?? ''}`, new PartReader(bytes))
  }
  await zip.close()
}

function bytesOfText(text: string): PartBytes {
  const bytes = new TextEncoder().encode(text)
  return { length: bytes.length, read: (at, count) => bytes.subarray(at, at + count) }
}

/** A session with ids of its own, so that it can lie beside another, or beside itself. */
export function withNewIds(session: Session, newId: () => string): Session {
  const ids = new Map<string, string>()
  const own = (id: string) => {
    const there = ids.get(id) ?? newId()
    ids.set(id, there)
    return there
  }
  return {
    ...session,
    version: SESSION_VERSION,
    sources: session.sources.map((source) => ({
      ...source,
      id: own(`source ${source.id}`),
      variants: source.variants.map((variant) => ({ ...variant, id: own(`variant ${variant.id}`) })),
    })),
    rows: session.rows.map((row) => ({ ...row, id: own(`row ${row.id}`) })),
    parts: session.parts.map((part) => ({
      ...part,
      id: newId(),
      source: own(`source ${part.source}`),
      row: own(`row ${part.row}`),
      // a variant may be told by its letter, which stays
      ...(part.variant !== undefined && { variant: ids.get(`variant ${part.variant}`) ?? part.variant }),
    })),
    sections: session.sections.map((section) => ({ ...section, id: newId() })),
  }
}
