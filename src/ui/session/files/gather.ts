import { AppError } from '../../../core'
import { errorText } from '../../../host/errorText'
import { breathe } from '../../../host/runTask'
import { acceptedEndings } from '../../../host/sniff'
import { newSource, readFoundFacts } from '../../../session'
import { selectSource } from '../acts'
import { edit } from '../edits'
import { askToPersist } from '../keep/persist'
import { alreadyKnown } from '../know/knowledge'
import { mayChange } from '../state/access'
import { contents, foundRows, pool } from '../state/engine'
import { notify, tell } from '../state/notices'
import { setOutlook } from '../state/outlook'
import { type FoundFile, store } from '../state/store'
import { bringIn } from './arrivals'
import { readLimit } from './readLimit'

/** Files that are listed and looked through without being of the session: listed at once, read one after another. */

export interface ListedFile {
  readonly file: File
  /** with its folders */
  readonly path: string
}

const { getState, setState } = store
/** reads that are prepared at once: one more than there are workers, so that none waits for a disk */
const AT_ONCE = 3
const RANK = 6
/** larger files were once known by another hash */
const READ_AGAIN_BYTES = 2 ** 25
const inMemory = new Map<string, Blob>()
let queue: string[] = []
let reading = 0

const isSound = (path: string) => {
  const name = path.replace(/^.*\//, '').toLowerCase()
  return !name.startsWith('.') && acceptedEndings.some((ending) => name.endsWith(`.${ending}`))
}
export const nameOf = (path: string) => path.replace(/^.*\//, '')

function update(id: string, part: Partial<FoundFile>) {
  setState((state) => ({ found: state.found.map((file) => (file.id === id ? { ...file, ...part } : file)) }))
}

/** List files; what is no sound by its name is left out, and told of. */
export async function listFiles(list: readonly ListedFile[]) {
  if (!mayChange()) return
  // what brought them, the list, and what is said of it are drawn one after another: hundreds of files hold nothing up
  await breathe()
  const known = new Set(getState().found.map(({ path }) => path))
  const sounds = list.filter(({ path }) => isSound(path))
  const fresh = sounds.filter(({ path }) => !known.has(path))
  const others = list.length - sounds.length
  if (sounds.length === 0) {
    notify({
      tone: 'trouble',
      text: 'No sound file was among what you dropped. Bring in WAV, AIFF, FLAC, MP3, Ogg or M4A.',
    })
    return
  }
  const rows = fresh.map(({ file, path }) => ({ id: crypto.randomUUID(), path, file }))
  for (const { id, file } of rows) inMemory.set(id, file)
  setState((state) => ({
    found: [...state.found, ...rows.map(({ id, path }): FoundFile => ({ id, path, status: 'waiting' }))],
  }))
  await breathe()
  setOutlook({ list: 'found' })
  await breathe()
  const told = [
    others > 0 ? `${others} other ${others === 1 ? 'file' : 'files'} left out` : '',
    sounds.length > fresh.length ? `${sounds.length - fresh.length} listed already` : '',
  ].filter(Boolean)
  notify({
    tone: 'plain',
    text: `${fresh.length} ${fresh.length === 1 ? 'sound' : 'sounds'} listed${told.length > 0 ? `; ${told.join(', ')}` : ''}`,
  })
  queue.push(...rows.map(({ id }) => id))
  readOn()
  try {
    await foundRows.put(
      rows.map(({ id, path, file }) => ({ id, path, bytes: file, facts: undefined, error: undefined })),
    )
  } catch (error) {
    // they stay listed and can be taken in as long as this window is open
    tell(error)
  }
}

/** The list as it was left, and what was not read then. */
export async function openList() {
  // a row that has lost its path says nothing that could be listed
  const rows = (await foundRows.all()).filter(({ path }) => typeof path === 'string')
  const found = rows.map(({ id, path, facts, error }): FoundFile => {
    const known = readFoundFacts(facts)
    if (known) return { id, path, status: 'known', facts: known }
    return typeof error === 'string' ? { id, path, status: 'failed', error } : { id, path, status: 'waiting' }
  })
  // what was listed since the page opened stays: it may have come before the list of the last visit was read
  const lying = new Set(found.map(({ id }) => id))
  const since = getState().found.filter(({ id }) => lying.has(id) || inMemory.has(id))
  const begun = new Set(since.map(({ id }) => id))
  const before = found.filter(({ id }) => !begun.has(id))
  setState({ found: markSame([...before, ...since]) })
  queue.push(...before.filter(({ status }) => status === 'waiting').map(({ id }) => id))
  readOn()
}

export async function bytesOf(id: string): Promise<Blob | undefined> {
  return inMemory.get(id) ?? (await foundRows.bytes(id))
}

function readOn() {
  while (reading < AT_ONCE) {
    const id = queue.shift()
    if (id === undefined) return
    reading++
    void read(id).finally(() => {
      reading--
      readOn()
    })
  }
}

async function read(id: string) {
  const row = getState().found.find((file) => file.id === id)
  if (!row) return
  update(id, { status: 'reading' })
  try {
    const blob = await bytesOf(id)
    if (!blob) throw new AppError('storage/lost', { name: nameOf(row.path) })
    const facts = await pool.run<'gather'>(
      { kind: 'gather', blob, file: nameOf(row.path) },
      { rank: RANK, ...readLimit(blob, nameOf(row.path)) },
    )
    update(id, { status: 'known', facts })
    setState((state) => ({ found: markSame(state.found) }))
    await foundRows.note(id, { facts })
  } catch (error) {
    const text = errorText(error)
    update(id, { status: 'failed', error: text })
    await foundRows.note(id, { error: text }).catch(() => undefined)
  }
}

/** Of files with the same bytes, all but the first say which one they are the same as. */
function markSame(found: readonly FoundFile[]): readonly FoundFile[] {
  const first = new Map<string, string>()
  return found.map((file) => {
    const hash = file.facts?.hash
    if (hash === undefined) return file
    const same = first.get(hash)
    if (same === undefined) first.set(hash, file.path)
    return same === file.sameAs || (same === undefined && file.sameAs === undefined)
      ? file
      : { ...file, ...(same !== undefined && { sameAs: same }) }
  })
}

/** Make a listed file a source of the session. */
export async function takeIn(ids: readonly string[]): Promise<string | undefined> {
  if (!mayChange()) return undefined
  let first: string | undefined
  const gesture = crypto.randomUUID()
  for (const id of ids) {
    const row = getState().found.find((file) => file.id === id)
    if (!row || row.status === 'failed') continue
    const file = nameOf(row.path)
    const name = file.replace(/\.[^.]+$/, '') || file
    try {
      const blob = await bytesOf(id)
      if (!blob) throw new AppError('storage/lost', { name: file })
      if (!row.facts || blob.size > READ_AGAIN_BYTES) {
        // what nobody has looked through yet comes in like any other file
        await bringIn([new File([blob], file)])
        continue
      }
      const { hash, knowledge } = row.facts
      const sourceId = crypto.randomUUID()
      await contents.put(hash, blob)
      void askToPersist()
      alreadyKnown(sourceId, hash, knowledge)
      edit(
        `Take in ${file}`,
        (session) => {
          session.sources.push({ ...newSource({ id: sourceId, name, file, origin: 'file' }), hash })
        },
        gesture,
      )
      if (id === ids[0]) {
        first = sourceId
        selectSource(sourceId)
        notify({ tone: 'plain', text: `${name} is on the shelf`, undo: true })
      }
    } catch (error) {
      tell(error)
    }
  }
  return first
}

/** Take files off the list; their bytes in this browser go with them, the files on disk stay. */
export async function forgetFound(ids: readonly string[]) {
  if (!mayChange()) return
  setState((state) => ({ found: markSame(state.found.filter(({ id }) => !ids.includes(id)).map(withoutSame)) }))
  for (const id of ids) inMemory.delete(id)
  queue = queue.filter((id) => !ids.includes(id))
  await foundRows.remove(ids)
}

function withoutSame({ sameAs: _, ...file }: FoundFile): FoundFile {
  return file
}
