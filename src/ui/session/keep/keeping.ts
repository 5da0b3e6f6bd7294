import { AppError } from '../../../core'
import { errorText } from '../../../host/errorText'
import {
  checkedForWriting,
  firstOutlook,
  firstSession,
  type Mended,
  mendedText,
  type Outlook,
  readOutlook,
  readSession,
  type Session,
} from '../../../session'
import { plainText } from '../../../session/plainText'
import { createSessionKeeper } from '../../../storage'
import { saveFile } from '../../common/saveFile'
import { setAccess } from '../state/access'
import { asideRows, database } from '../state/engine'
import { notify, tell } from '../state/notices'
import { type State, store } from '../state/store'

/** The session as it lies in this browser: read when the page opens, written as it changes. */

const { getState, setState } = store
/** what could not be written is tried again */
const AGAIN_MS = 5000
/** so many are looked through in a time that a drag feels */
const MANY_PINS = 1500
const LAST_WORD = 'zumbet last word'

let onSaved = () => {}
let onOvertaken = () => {}

// what is not written yet when the page goes is there for the next one
globalThis.addEventListener?.('pagehide', () => keeper.leave())

/** Be told when something was written, and when another tab wrote meanwhile. */
export function onKept(events: { readonly saved: () => void; readonly overtaken: () => void }) {
  onSaved = events.saved
  onOvertaken = events.overtaken
}

export const keeper = createSessionKeeper<Session, Outlook>(
  database,
  {
    onError(error) {
      // told once; while it lasts a line at the top says so
      if (getState().unsaved === undefined) tell(error)
      setState({ unsaved: error })
      setTimeout(() => keeper.again(), AGAIN_MS)
    },
    onSaved({ session }) {
      if (getState().unsaved !== undefined) setState({ unsaved: undefined })
      if (session) onSaved()
    },
    onOvertaken: () => onOvertaken(),
  },
  () => Date.now(),
  {
    checked(session) {
      const { session: holds, mended } = checkedForWriting(session)
      if (mended.length > 0)
        notify({ tone: 'trouble', text: `Not all could be kept as it is: ${mendedText(mended, namesOf(session))}.` })
      return holds
    },
    isLarge: ({ sources }) => sources.some(({ timing }) => (timing?.placed.length ?? 0) > MANY_PINS),
    lastWord: {
      get: () => localStorage.getItem(LAST_WORD),
      put: (text) => localStorage.setItem(LAST_WORD, text),
      clear: () => localStorage.removeItem(LAST_WORD),
    },
  },
)

const namesOf = (session: Session) => (n: number) => session.sources[n]?.name

/** What lies in this browser, as far as it could be read; what could not is kept aside first. */
export interface Opened {
  readonly session: Session
  readonly outlook: Outlook
  /** the version of a session that must not be written over */
  readonly newer?: number
  /** it was left by a page that went before all was written, and has to be written now */
  readonly unwritten?: true
}

/**
 * What was kept is read. Where nothing can be made of it this is a first visit, and what lies there is kept aside.
 * @param mayWrite  whether this tab may keep things aside; one that only watches leaves that to the one that writes.
 * @throws what storage fails by. Then nothing was read, and nothing may be written.
 */
export async function openKept(theme: Outlook['theme'], mayWrite: boolean): Promise<Opened> {
  const first = { session: firstSession(), outlook: firstOutlook(theme) }
  const [strays, kept] = await Promise.all([mayWrite ? keeper.strays() : [], keeper.load(mayWrite)])
  for (const { key, row } of strays) {
    const raw = (row as { session?: unknown }).session ?? row
    await keepAside('session', raw, 'A session lay under a name that is not its own.')
    await keeper.removeStray(key)
  }
  if (!kept) return first
  const read = readSession(kept.session)
  const outlook = outlookOf(kept.outlook, first.outlook, read.kind === 'unreadable' ? first.session : read.session)
  if (read.kind === 'unreadable') {
    if (mayWrite) await keepAside('session', kept.session, `The session could not be read: ${read.why}.`)
    return { ...first, outlook }
  }
  if (read.kind === 'newer') return { session: read.session, outlook, newer: read.version }
  if (read.mended.length > 0 && mayWrite)
    await keepAside('session', kept.session, mendedNote(read.mended, kept.session))
  return { session: read.session, outlook, ...(kept.unwritten && { unwritten: true }) }
}

function outlookOf(raw: unknown, first: Outlook, session: Session): Outlook {
  // an outlook is a matter of a few clicks: what of it does not hold is as on a first visit, and that is all
  const { outlook } = readOutlook(raw, first)
  const there = session.sources.some(({ id }) => id === outlook.selectedId)
  if (there || session.sources.length === 0) return outlook
  return { ...outlook, selectedId: session.sources[0]?.id }
}

function mendedNote(mended: readonly Mended[], raw: unknown): string {
  const sources = (raw as { sources?: { name?: unknown }[] } | null)?.sources
  const name = (n: number) => {
    const text = sources?.[n]?.name
    return typeof text === 'string' && text !== '' ? text : undefined
  }
  return `Some of the session did not hold and was mended: ${mendedText(mended, name)}.`
}

/** Keep what could not be read as it lies, and offer it as a file. @throws where there is no room for it. */
async function keepAside(what: 'session' | 'outlook', raw: unknown, why: string) {
  const { id } = await asideRows.put({ what, why, raw })
  await listAside()
  notify({
    tone: 'trouble',
    text: `${why} As it was, it is kept aside, under Session.`,
    action: { label: 'Save it as a file', run: () => void saveAside(id) },
  })
}

export async function listAside() {
  const rows = await asideRows.all()
  setState({ aside: rows.map(({ id, at, what, why }) => ({ id, at, what, why: String(why) })) })
}

/** Hand out something that was kept aside, as it was. */
export async function saveAside(id: string) {
  const row = (await asideRows.all()).find((one) => one.id === id)
  if (row) saveRaw(row.raw, `Kept aside ${dayOf(new Date(row.at))}.json`)
}

export async function removeAside(id: string) {
  await asideRows.remove(id)
  await listAside()
}

const dayOf = (date: Date) =>
  Number.isNaN(date.getTime()) ? '' : date.toISOString().slice(0, 16).replace(/[:T]/g, '.')

/** Hand out what lies in storage, whatever it is. */
function saveRaw(raw: unknown, name: string) {
  let text: string
  try {
    text = plainText(raw)
  } catch {
    // it holds itself, or something that no text can hold
    text = `${JSON.stringify({ unreadable: String(raw) })}\n`
  }
  saveFile(new Blob([text ?? 'null'], { type: 'application/json' }), name)
}

/** Hand out the session of a newer version, as it lies there. */
export async function saveNewer() {
  const row = await database.sessions.get('current')
  saveRaw(row?.session, 'Session of a newer version.json')
}

/** Begin anew beside a session that must not be written over: it is kept aside. */
export async function beginAnew() {
  const { access } = getState()
  if (access.kind !== 'newer') return
  const row = await database.sessions.get('current')
  await asideRows.put({
    what: 'session',
    why: `A session of a newer version (${access.version}).`,
    raw: row?.session,
  })
  await listAside()
  // from here on this tab writes over it
  await keeper.load()
  setAccess({ kind: 'writes' })
  keeper.saveSession(getState().history.present)
}

/** Write what has changed. */
export function keepChanges(state: State, before: State | undefined) {
  if (state.access.kind !== 'writes') return
  if (state.history.present !== before?.history.present) keeper.saveSession(state.history.present)
  if (state.outlook !== before?.outlook) keeper.saveOutlook(state.outlook)
}

/** Storage that cannot be used at all: the session lives as long as this window. */
export function livesUnkept(error: unknown) {
  setAccess({
    kind: 'unkept',
    why: errorText(error instanceof AppError ? error : new AppError('storage/closed', {}, error)),
  })
}
