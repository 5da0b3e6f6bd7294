import { basename, join } from 'node:path'
import { AppError } from '../core'
import { createContentHash } from '../host/contentHash'
import { errorText } from '../host/errorText'
import { mendedText, type Source } from '../session'
import { safeFileName } from '../session/fileNames'
import { places, readArguments } from './args'
import { makeFolder, partialFile } from './places'
import { type FoundSession, findSession } from './sessionPlace'
import type { Terminal } from './terminal'

/** `session FILE`: what a session holds, as it is read; and its sounds as files. */
export async function readSessionFile(words: readonly string[], { out, err, progress }: Terminal) {
  const args = readArguments(words, ['extract'], ['json'])
  const [file] = places(args, ['FILE']) as [string]
  const folder = args.text('extract')
  if (folder !== undefined) makeFolder(folder)
  const found = await findSession(file)
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
  found: FoundSession,
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
