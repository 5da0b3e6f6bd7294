import { AppError } from '../../../core'
import { sniff } from '../../../host/sniff'
import { isOneLength, newSource } from '../../../session'
import type { ArrivalRow, Held } from '../../../storage'
import { selectSource } from '../acts'
import { edit } from '../edits'
import { keeper } from '../keep/keeping'
import { askToPersist } from '../keep/persist'
import { mayChange } from '../state/access'
import { arrivalRows, contents, pool, shelf } from '../state/engine'
import { rememberFacts } from '../state/loading'
import { tell } from '../state/notices'
import { type Arrival, store } from '../state/store'
import type { LoadedSound } from './audioShelf'
import { readLimit } from './readLimit'

/**
 * Files on their way onto the shelf are copied first, so that they wait over a reload. Then they are read, a few at
 * once. One that cannot be read is told of, and the others come in.
 */

const { getState, setState } = store
/** while one is decoded another is copied and looked through */
const AT_ONCE = 2
/** so often a page may end while a file is read before it is no longer read unasked */
const MOST_TRIES = 2

interface Waiting {
  readonly id: string
  readonly name: string
  readonly held: Held
  readonly tries: number
  /** files that came together are one step */
  readonly gesture: string
  /** the first of them that can be read is shown */
  readonly select: { wanted: boolean }
}

let queue: Waiting[] = []
let reading = 0

function setArrival(id: string, part: Partial<Arrival> | undefined) {
  setState(({ arrivals }) => ({
    arrivals: part
      ? arrivals.map((one) => (one.id === id ? { ...one, ...part } : one))
      : arrivals.filter((one) => one.id !== id),
  }))
}

/** Bring files in. Resolves when each is a source, or was refused; gives back those that were not brought in. */
export async function bringIn(list: readonly File[]): Promise<readonly File[]> {
  if (list.length === 0) return []
  if (!mayChange()) return list
  void askToPersist()
  const gesture = crypto.randomUUID()
  const select = { wanted: true }
  const arriving = list.map((file, n) => ({ id: crypto.randomUUID(), file, order: Date.now() + n / 1e6 }))
  setState(({ arrivals }) => ({
    arrivals: [...arrivals, ...arriving.map(({ id, file }): Arrival => ({ id, file: file.name, status: 'waiting' }))],
  }))
  const ends: Promise<boolean>[] = []
  for (const { id, file, order } of arriving) {
    try {
      await refuseAtOnce(file)
      const held = await contents.take(file)
      await arrivalRows.put({ id, order, name: file.name, tries: 0, ...held })
      ends.push(lineUp({ id, name: file.name, held, tries: 0, gesture, select }))
    } catch (error) {
      setArrival(id, undefined)
      tell(error)
      ends.push(Promise.resolve(false))
    }
  }
  const came = await Promise.all(ends)
  offerKin(arriving.filter((_, n) => came[n]).map(({ id }) => id))
  return list.filter((_, n) => !came[n])
}

/** Sounds of one length and rate that came together may be microphones on one performance: that is asked, not taken. */
function offerKin(ids: readonly string[]) {
  const { sources } = getState().history.present
  const came = sources.filter(({ id, kin }) => ids.includes(id) && !kin)
  const alike = came.map((one) => came.filter((other) => one === other || isOneLength([one, other])))
  const [most] = alike.sort((a, b) => b.length - a.length)
  if (most && most.length > 1) setState({ offeredKin: most.map(({ id }) => id) })
}

/** enough to tell what a file is; of one that begins with tags, behind any picture in them */
const HEAD_BYTES = 64
const TAGGED_HEAD_BYTES = 2 ** 24

/** What is no sound at its first look need not be copied first. */
async function refuseAtOnce(file: File) {
  const isTagged = (await file.slice(0, 3).text()) === 'ID3'
  const head = file.slice(0, isTagged ? TAGGED_HEAD_BYTES : HEAD_BYTES)
  sniff(new Uint8Array(await head.arrayBuffer()), file.name)
}

const ended = new Map<string, (came: boolean) => void>()

function lineUp(waiting: Waiting): Promise<boolean> {
  queue.push(waiting)
  readOn()
  return new Promise((resolve) => ended.set(waiting.id, resolve))
}

function readOn() {
  while (reading < AT_ONCE) {
    const next = queue.shift()
    if (!next) return
    reading++
    void arrive(next).then((came) => {
      reading--
      ended.get(next.id)?.(came)
      ended.delete(next.id)
      readOn()
    })
  }
}

async function arrive({ id, name, held, tries, gesture, select }: Waiting): Promise<boolean> {
  setArrival(id, { status: 'reading' })
  try {
    await arrivalRows.begin(id, tries + 1)
    const blob = await contents.held(held)
    if (!blob) throw new AppError('storage/lost', { name })
    const sound: LoadedSound = await pool.run<'decode'>(
      { kind: 'decode', blob, file: name },
      { rank: 1, ...readLimit(blob, name) },
    )
    if (!mayChange()) {
      // who writes now reads it
      setArrival(id, undefined)
      return false
    }
    await contents.keep(sound.hash, held)
    shelf.put(id, sound)
    const source = newSource({ id, name: name.replace(/\.[^.]+$/, '') || name, file: name, origin: 'file' })
    edit(
      `Bring in ${name}`,
      (session) => {
        session.sources.push({ ...source, hash: sound.hash })
      },
      gesture,
    )
    rememberFacts(id, sound)
    for (const warning of sound.decoded.warnings) tell(new AppError(warning.code, warning.details))
    if (select.wanted) {
      select.wanted = false
      selectSource(id)
    }
    // it waits in its line until the session that names it is written
    await keeper.settled()
    if (getState().unsaved === undefined) await arrivalRows.remove(id)
    setArrival(id, undefined)
    return true
  } catch (error) {
    tell(error)
    await contents.drop(held)
    await arrivalRows.remove(id).catch(tell)
    setArrival(id, undefined)
    return false
  }
}

const heldOf = ({ size, bytes, parts }: ArrivalRow): Held => ({
  size,
  ...(bytes && { bytes }),
  ...(parts !== undefined && { parts }),
})

/** What waited when the page ended goes on; what ended it more than once waits until somebody asks for it. */
export async function openArrivals() {
  const rows = await arrivalRows.all()
  const { sources } = getState().history.present
  const gesture = crypto.randomUUID()
  const select = { wanted: false }
  for (const row of rows) {
    const { id, name, tries } = row
    if (getState().arrivals.some((one) => one.id === id)) continue
    if (sources.some((source) => source.id === id)) {
      // it came in, and the page ended before that was written down
      await arrivalRows.remove(id)
      continue
    }
    const stuck = (Number(tries) || 0) >= MOST_TRIES
    setState(({ arrivals }) => ({
      arrivals: [...arrivals, { id, file: name, status: stuck ? 'stuck' : 'waiting' }],
    }))
    if (!stuck) void lineUp({ id, name, held: heldOf(row), tries: Number(tries) || 0, gesture, select })
  }
}

/** Read a file again that the page ended on. */
export async function tryArrival(id: string) {
  const row = (await arrivalRows.all()).find((one) => one.id === id)
  if (!row) return setArrival(id, undefined)
  const { name, size, bytes, parts } = row
  const held: Held = { size, ...(bytes && { bytes }), ...(parts !== undefined && { parts }) }
  setArrival(id, { status: 'waiting' })
  await lineUp({
    id,
    name,
    held,
    tries: Number(row.tries) || 0,
    gesture: crypto.randomUUID(),
    select: { wanted: true },
  })
}

/** Let a file go that is waiting; the one on disk stays. */
export async function dropArrival(id: string) {
  queue = queue.filter((one) => one.id !== id)
  const row = (await arrivalRows.all()).find((one) => one.id === id)
  if (row) await contents.drop(row)
  await arrivalRows.remove(id)
  setArrival(id, undefined)
}
