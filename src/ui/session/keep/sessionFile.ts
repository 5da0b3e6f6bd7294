import { AppError } from '../../../core'
import { createContentHash, hashOfBlob } from '../../../host/contentHash'
import { errorText } from '../../../host/errorText'
import { contentKeys, mendedText, type Session, type Source } from '../../../session'
import type { FileSound, OpenSessionFile } from '../../../session/sessionFile'
import { saveFile } from '../../common/saveFile'
import { selectSource } from '../acts'
import { edit } from '../edits'
import { fetchDemo } from '../files/audioShelf'
import { mayChange } from '../state/access'
import { contents } from '../state/engine'
import { notify, tell } from '../state/notices'
import { type FileWork, store } from '../state/store'
import { prepareFirst, recipesOf } from '../timeline/mixSounds'
import { keeper } from './keeping'
import { askToPersist } from './persist'

/** The session as a file: saved whole, opened beside what is here or in its place. */

const { getState, setState } = store

/** Zips are read by a package that nobody needs to see the bench. */
const zips = () => import('../../../session/sessionFile')
let stop: AbortController | undefined
let opened: Opened | undefined

interface Opened {
  readonly file: OpenSessionFile
  readonly blob: Blob
}

/** One at a time; progress is shown, and it can be stopped. */
async function working(
  doing: FileWork['doing'],
  file: string,
  work: (show: (progress: number) => void, signal: AbortSignal) => Promise<void>,
) {
  if (getState().fileWork) return
  const mine = new AbortController()
  stop = mine
  const show = (progress: number) => setState({ fileWork: { doing, file, progress } })
  show(0)
  try {
    await work(show, mine.signal)
  } catch (error) {
    if (!mine.signal.aborted) tell(error)
  } finally {
    setState({ fileWork: undefined })
  }
}

export const stopFileWork = () => stop?.abort()

const pad = (n: number) => String(n).padStart(2, '0')

/** Hand out the session with all its sounds. */
export async function saveSession() {
  const session = getState().history.present
  const now = new Date()
  const name = `Session ${now.getFullYear()}-${pad(now.getMonth() + 1)}-${pad(now.getDate())} ${pad(now.getHours())}.${pad(now.getMinutes())}.zumbet`
  await working('Saving', name, async (show, signal) => {
    const { blobSink, partsOfBlob, writeSessionFile } = await zips()
    const missing: string[] = []
    const sounds: { source: Source; blob: Blob; hash: string }[] = []
    for (const source of session.sources) {
      const blob = await bytesOf(source).catch(() => undefined)
      signal.throwIfAborted()
      if (blob) sounds.push({ source, blob, hash: source.hash ?? (await hashOfBlob(blob)) })
      else missing.push(source.name)
    }
    const hashes = new Map(sounds.map(({ source, hash }) => [source.id, hash]))
    const total = sounds.reduce((sum, { blob }) => sum + blob.size, 1)
    const { sink, finish } = blobSink()
    let done = 0
    await writeSessionFile(
      {
        ...session,
        sources: session.sources.map((source) => {
          const hash = hashes.get(source.id)
          return hash === undefined ? source : { ...source, hash }
        }),
      },
      sounds.map(({ source, blob, hash }): FileSound => ({ hash, file: source.file, bytes: partsOfBlob(blob) })),
      (bytes) => {
        signal.throwIfAborted()
        done += bytes.length
        show(Math.min(1, done / total))
        return sink(bytes)
      },
      now,
    )
    saveFile(finish('application/zip'), name)
    if (missing.length > 0)
      notify({
        tone: 'trouble',
        text: `Without its sound in the file: ${missing.join(', ')}. It could not be read here.`,
      })
  })
}

const bytesOf = (source: Source) => (source.origin === 'demo' ? fetchDemo(source) : contents.get(contentKeys(source)))

/** Look into a session file, and offer what is in it. Nothing of the session changes. */
export async function offerSession(file: File) {
  if (!mayChange()) return
  await letGo()
  await working('Opening', file.name, async () => {
    const { openSessionFile, partsOfBlob } = await zips()
    const session = await openSessionFile(partsOfBlob(file), file.name)
    if (session.read.kind === 'unreadable') {
      await session.close()
      throw new AppError('session-file/unreadable', { file: file.name, why: session.read.why })
    }
    const { read } = session
    const notes = [
      ...(read.kind === 'newer' ? [`written by a newer version (${read.version}): what is new in it is left out`] : []),
      ...(read.mended.length > 0 ? [mendedText(read.mended, (n) => read.session.sources[n]?.name)] : []),
      ...(session.strange.length > 0 ? [`names that lead out of the file left out: ${session.strange.length}`] : []),
    ]
    opened = { file: session, blob: file }
    setState({ offered: { file: file.name, session: read.session, notes } })
  })
}

export async function letGo() {
  setState({ offered: undefined })
  await opened?.file.close().catch(() => undefined)
  opened = undefined
}

/** Bring in what was offered, beside what is here or in its place: one step, that undo takes back. */
export async function acceptSession(how: 'beside' | 'instead') {
  const { offered } = getState()
  const from = opened
  if (!offered || !from || !mayChange()) return
  await working('Opening', offered.file, async (show, signal) => {
    void askToPersist()
    const { session, missing, hashes } = await takeSounds(offered.session, from, show, signal)
    const { withNewIds } = await zips()
    const { sources, ...rest } = withNewIds(session, () => crypto.randomUUID())
    edit(`Open ${offered.file}`, (draft) => {
      if (how === 'beside') {
        draft.sources.push(...sources)
        return
      }
      for (const name of Object.keys(draft)) delete (draft as unknown as Record<string, unknown>)[name]
      Object.assign(draft, rest, { sources })
    })
    await keeper.settled()
    contents.release(hashes)
    const [first] = sources
    if (first) selectSource(first.id)
    await letGo()
    const count = `${sources.length} ${sources.length === 1 ? 'source' : 'sources'}`
    notify({ tone: 'plain', text: `${offered.file}: ${count} ${how === 'beside' ? 'added' : 'opened'}`, undo: true })
    if (missing.length > 0) notify({ tone: 'trouble', text: `Left out: ${missing.join(' ')}` })
  })
}

/** Keep the sounds of an opened session. Sources without their sound are left out and told of. */
async function takeSounds(session: Session, from: Opened, show: (progress: number) => void, signal: AbortSignal) {
  const { file } = from
  const total = session.sources.reduce((sum, source) => sum + (file.sizeOf(source) ?? 0), 1)
  const missing: string[] = []
  const hashes: string[] = []
  let isBegun = false
  const sources: Source[] = []
  let done = 0
  for (const source of session.sources) {
    try {
      const before = done
      const told = (bytes: number) => {
        signal.throwIfAborted()
        done += bytes
        show(Math.min(1, done / total))
      }
      let sound = await storedWhole(source, from, told)
      if (!sound) {
        done = before
        sound = await extracted(source, file, told)
      }
      const { hash: own, blob } = sound
      const name = source.file.replace(/^.*[\\/]/, '')
      if (source.origin === 'demo' && (await isDemo(source, own))) {
        const { hash: _, ...rest } = source
        sources.push(rest)
        continue
      }
      hashes.push(own)
      await contents.put(own, blob)
      const taken: Source = { ...source, origin: 'file', file: name, hash: own }
      sources.push(taken)
      const recipes = recipesOf(session, taken)
      if (recipes.length > 0 && !isBegun) {
        isBegun = true
        void prepareFirst(recipes, taken, blob)
      }
    } catch (error) {
      signal.throwIfAborted()
      if ((error as AppError).code === 'storage/full') throw error
      missing.push(errorText(error))
    }
  }
  return { session: { ...session, sources }, missing, hashes }
}

interface TakenSound {
  readonly blob: Blob
  readonly hash: string
}

/** A sound that lies in the file as it is, and is what its hash says: it need not be taken out. */
async function storedWhole(
  source: Source,
  { file, blob }: Opened,
  told: (bytes: number) => void,
): Promise<TakenSound | undefined> {
  const stored = await file.stored(source)
  if (!stored) return undefined
  const own = blob.slice(stored.at, stored.at + stored.length)
  return (await hashOfBlob(own, told)) === stored.hash ? { blob: own, hash: stored.hash } : undefined
}

/** A sound as it is taken out of the file; the sum in the zip tells whether it is whole. */
async function extracted(source: Source, file: OpenSessionFile, told: (bytes: number) => void): Promise<TakenSound> {
  const { blobSink } = await zips()
  const { sink, finish } = blobSink()
  const hash = await createContentHash()
  await file.extract(source, (bytes) => {
    told(bytes.length)
    hash.add(bytes)
    return sink(bytes)
  })
  return { blob: finish(), hash: hash.finish() }
}

/** Whether this server has the very same demo sound: then its bytes need not be kept. */
async function isDemo(source: Source, hash: string): Promise<boolean> {
  const blob = await fetchDemo(source).catch(() => undefined)
  return blob !== undefined && (await hashOfBlob(blob)) === hash
}

/** An empty shelf, with the first sounds or without. One step. */
export function emptySession() {
  edit('Empty the shelf', (draft) => {
    draft.sources = []
  })
  notify({ tone: 'plain', text: 'The shelf is empty', undo: true })
}
