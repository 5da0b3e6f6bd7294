import { createHash } from 'node:crypto'
import { existsSync } from 'node:fs'
import { basename, dirname, join, relative } from 'node:path'
import { AppError, bytesInMemory, readWav, writeWav } from '../core'
import { demoMakers } from '../core/demo/sounds'
import { wallClockSound } from '../core/demo/wallClock'
import { decodeFile } from '../host/decodeFile'
import { taggedTempo } from '../host/taggedTempo'
import { firstFilm, firstSources, readSession, type Session, type SessionRead, type Source } from '../session'
import { faultOf } from '../session/faults'
import { isSafePath, type OpenSessionFile, openSessionFile, parseSession, type Sink } from '../session/sessionFile'
import { type FilePart, type OpenSound, openBytes, openPart, openPcmSound, openSound, readText } from './files'

/** Where a session lies: in a zip with its sounds, or as text beside them. */

/** A session, and where its sounds come from. */
export interface FoundSession {
  readonly read: SessionRead
  /** as it lay there, before it was mended */
  readonly raw: unknown
  readonly notes: readonly string[]
  sizeOf(source: Source): number | undefined
  extract(source: Source, sink: Sink): Promise<void>
  /**
   * The sound of a source, to work with, and the tempo that its file is tagged with.
   * Demo sounds that do not lie here are made.
   * @throws {AppError} `session-file/missing`
   */
  open(source: Source, err: (line: string) => void): Promise<OpenSound & Tagged>
  close(): Promise<void> | void
}

export interface Tagged {
  readonly taggedBpm?: number | undefined
}

/**
 * The session as it was meant. Nothing is mended on its timeline: what is made of it would not be what was meant.
 * @throws {AppError} `session-file/unreadable`; `mix/entry` naming the entry.
 */
export function sessionAsMeant({ read, raw }: FoundSession, file: string): Session {
  if (read.kind === 'unreadable') throw new AppError('session-file/unreadable', { file: basename(file), why: read.why })
  const fault = faultOf(raw, read.mended)
  if (fault) throw new AppError('mix/entry', { ...fault })
  return read.session
}

/** Find the session that a file holds. To be closed. @throws {AppError} as `openSessionFile`. */
export const findSession = (file: string): Promise<FoundSession> =>
  /\.json$/i.test(file) ? besideFile(file) : inZip(file)

async function inZip(file: string): Promise<FoundSession> {
  const bytes = openBytes(file)
  let zip: OpenSessionFile
  try {
    zip = await openSessionFile(bytes, basename(file))
  } catch (error) {
    bytes.close()
    throw error
  }
  const { read, strange } = zip
  /** Where a sound lies in the file as it is, and is what its hash says. */
  async function storedWhole(source: Source): Promise<FilePart | undefined> {
    const stored = await zip.stored(source)
    if (!stored) return undefined
    const { at, length } = stored
    const hash = createHash('sha256')
    for (let done = 0; done < length; done += PART_BYTES)
      hash.update(await bytes.read(at + done, Math.min(PART_BYTES, length - done)))
    return hash.digest('hex') === stored.hash ? { file, at, length, name: basename(source.file) } : undefined
  }
  const extract: FoundSession['extract'] = (source, sink) => zip.extract(source, sink)
  return {
    read,
    raw: zip.raw,
    notes:
      strange.length > 0 ? [`names that lead out of the file were left out: ${strange.slice(0, 5).join(', ')}`] : [],
    sizeOf: (source) => zip.sizeOf(source),
    extract,
    async open(source, err) {
      if (zip.sizeOf(source) === undefined) return demoSound(source, file)
      const stored = await storedWhole(source)
      if (stored) {
        const part = openPart(stored)
        const taggedBpm = await taggedTempo(part).finally(part.close)
        const sound = openPcmSound(stored, err)
        if (sound) return { ...sound, taggedBpm }
      }
      const parts: Uint8Array<ArrayBuffer>[] = []
      await extract(source, (bytes) => {
        parts.push(bytes.slice())
      })
      const whole = new Uint8Array(await new Blob(parts).arrayBuffer())
      const taggedBpm = await taggedTempo(bytesInMemory(whole))
      return { ...(await decodeFile(whole, basename(source.file))), taggedBpm }
    },
    async close() {
      await zip.close()
      bytes.close()
    },
  }
}

const PART_BYTES = 2 ** 22

/** A plain session.json, whose sounds lie where `file` says, beside it or in folders below. */
async function besideFile(file: string): Promise<FoundSession> {
  const raw = parseSession(await readText(file), basename(file))
  const folder = dirname(file)
  const pathOf = ({ file: name }: Source) => (isSafePath(name) ? join(folder, name) : undefined)
  const strange: string[] = []
  const read = readSession(raw)
  if (read.kind !== 'unreadable')
    for (const source of read.session.sources) if (!pathOf(source)) strange.push(source.file)
  const openAt = (source: Source) => {
    const path = pathOf(source)
    if (!path) throw new AppError('session-file/missing', { file: basename(file), name: source.name })
    return openBytes(path)
  }
  return {
    read,
    raw,
    notes:
      strange.length > 0
        ? [`sounds that do not lie below ${relative('.', folder) || '.'}: ${strange.slice(0, 5).join(', ')}`]
        : [],
    sizeOf(source) {
      try {
        const bytes = openAt(source)
        bytes.close()
        return bytes.length
      } catch {
        return undefined
      }
    },
    async open(source, err) {
      const path = pathOf(source)
      if (!path || (source.origin === 'demo' && !existsSync(path))) return demoSound(source, file)
      const bytes = openBytes(path)
      const taggedBpm = await taggedTempo(bytes).finally(bytes.close)
      return { ...(await openSound(path, err)), taggedBpm }
    },
    async extract(source, sink) {
      const bytes = openAt(source)
      try {
        for (let at = 0; at < bytes.length; at += PART_BYTES)
          await sink((await bytes.read(at, PART_BYTES)) as Uint8Array<ArrayBuffer>)
      } finally {
        bytes.close()
      }
    },
    close() {},
  }
}

/** A demo sound, as the set-up writes it. */
function demoSound({ origin, file, name }: Source, session: string): OpenSound {
  const id = firstSources.find((demo) => demo.file === file)?.id
  if (origin === 'demo' && file === firstFilm.file) return readWav(writeWav(wallClockSound(), { format: '24' }), file)
  const make = origin === 'demo' && id !== undefined ? demoMakers[id] : undefined
  if (!make) throw new AppError('session-file/missing', { file: basename(session), name })
  return readWav(writeWav(make().audio, { format: '24' }), file)
}
