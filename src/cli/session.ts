import { basename, dirname, join, relative } from 'node:path'
import { AppError } from '../core'
import { createContentHash } from '../host/contentHash'
import { errorText } from '../host/errorText'
import { mendedText, readSession, type SessionRead, type Source } from '../session'
import {
  isSafePath,
  type OpenSessionFile,
  openSessionFile,
  parseSession,
  type Sink,
  safeFileName,
} from '../session/sessionFile'
import { places, readArguments } from './args'
import { openBytes, readText } from './files'
import { makeFolder, partialFile } from './places'
import type { Terminal } from './terminal'

/** A session, and where its sounds come from. */
interface Found {
  readonly read: SessionRead
  readonly notes: readonly string[]
  sizeOf(source: Source): number | undefined
  extract(source: Source, sink: Sink): Promise<void>
  close(): Promise<void> | void
}

/** `session FILE`: what a session holds, as it is read; and its sounds as files. */
export async function readSessionFile(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, ['extract'], ['json'])
  const [file] = places(args, ['FILE']) as [string]
  const folder = args.text('extract')
  if (folder !== undefined) makeFolder(folder)
  const found = /\.json$/i.test(file) ? await besideFile(file) : await inZip(file)
  try {
    const { read } = found
    if (read.kind === 'unreadable')
      throw new AppError('session-file/unreadable', { file: basename(file), why: read.why })
    const { session } = read
    if (read.kind === 'newer')
      err(`zumbet: written by a newer version (${read.version}): what is new in it is left alone.`)
    if (read.mended.length > 0) err(`zumbet: mended: ${mendedText(read.mended, (n) => session.sources[n]?.name)}.`)
    for (const note of found.notes) err(`zumbet: ${note}`)
    const missing = session.sources.filter((source) => source.origin === 'file' && found.sizeOf(source) === undefined)
    for (const { name } of missing) err(`zumbet: ${errorText(new AppError('session-file/missing', { file, name }))}`)
    if (args.flag('json')) out(JSON.stringify(session, null, 2))
    else {
      out(`${file}: ${session.sources.length} sources, ${session.bpm} BPM, version ${session.version}`)
      for (const source of session.sources) out(`  ${tell(source, found.sizeOf(source))}`)
    }
    const say = args.flag('json') ? () => undefined : out
    if (folder !== undefined) await extractAll(found, session.sources, folder, { out: say, err, progress })
  } finally {
    await found.close()
  }
}

function tell({ name, file, target, variants, facts }: Source, bytes: number | undefined): string {
  const parts = [
    ...(facts ? [`${(facts.frames / facts.sampleRate).toFixed(3)} s`] : []),
    `x${Number(target.stretch.toPrecision(6))}`,
    ...(target.pitchSemitones !== 0 ? [`${Number(target.pitchSemitones.toFixed(2))} st`] : []),
    variants.map(({ letter, methodId }) => `${letter} ${methodId}`).join(', '),
    bytes === undefined ? 'no sound' : `${bytes} bytes`,
  ]
  return `${name} (${file}): ${parts.join('; ')}`
}

/** Every sound into a folder, each once; one that is missing or damaged loses none of the others. */
async function extractAll(
  found: Found,
  sources: readonly Source[],
  folder: string,
  { out, err, progress }: Pick<Terminal, 'out' | 'err' | 'progress'>,
) {
  const total = sources.reduce((sum, source) => sum + (found.sizeOf(source) ?? 0), 1)
  const taken = new Set<string>()
  let done = 0
  let failed = 0
  for (const source of sources) {
    if (found.sizeOf(source) === undefined) {
      failed++
      continue
    }
    const name = safeFileName(source.file, taken)
    taken.add(name.toLowerCase())
    const target = partialFile(join(folder, name))
    try {
      const hash = await createContentHash()
      await found.extract(source, (bytes) => {
        hash.add(bytes)
        target.write(bytes)
        done += bytes.length
        progress(done / total)
      })
      if (source.hash !== undefined && hash.finish() !== source.hash)
        throw new AppError('session-file/damaged', { file: name, name: source.name })
      target.keep()
      out(`${join(folder, name)}`)
    } catch (error) {
      target.discard()
      failed++
      err(`zumbet: ${errorText(error)}`)
    }
  }
  if (failed > 0) throw new AppError('session-file/parts', { failed, folder })
}

async function inZip(file: string): Promise<Found> {
  const bytes = openBytes(file)
  let zip: OpenSessionFile
  try {
    zip = await openSessionFile(bytes, basename(file))
  } catch (error) {
    bytes.close()
    throw error
  }
  const { read, strange } = zip
  return {
    read,
    notes:
      strange.length > 0 ? [`names that lead out of the file were left out: ${strange.slice(0, 5).join(', ')}`] : [],
    sizeOf: (source) => zip.sizeOf(source),
    extract: (source, sink) => zip.extract(source, sink),
    async close() {
      await zip.close()
      bytes.close()
    },
  }
}

const PART_BYTES = 2 ** 22

/** A plain session.json, whose sounds lie where `file` says, beside it or in folders below. */
async function besideFile(file: string): Promise<Found> {
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
