import type { Database, SessionRow } from './database'
import { storageError } from './storageError'

/** What lies in storage, as it lies there. */
export interface Kept {
  readonly session: unknown
  readonly outlook: unknown
  /** it was left by a page that went before it was written: whoever goes on has to write it */
  readonly unwritten?: true
}

/** looking through a session for less is done beside what a person does */
const LONG_MS = 20
const REST_TIMES = 20
/** nobody loses more than this to a machine that is shot */
const MOST_REST_MS = 250
/** changes that follow one another faster are one gesture that still goes on */
const GESTURE_MS = 80

interface Events {
  /** A write failed; what it was to write is written again with the next one. */
  onError(error: unknown): void
  /** What was given has been written. */
  onSaved(what: { readonly session: boolean }): void
  /** Somebody else wrote since: nothing was written over it, and nothing is from now on. */
  onOvertaken(): void
}

/** Where one text is put down at once, before a page is gone: writing to the database may be cut off by its end. */
export interface LastWord {
  get(): string | null
  /** @throws where there is no room. */
  put(text: string): void
  clear(): void
}

interface Options<S> {
  /** Gives what is to be written, as it may be. */
  readonly checked?: (session: S) => S
  /**
   * Whether a session may take long to look through: only such a one is rested behind, whatever the machine is busy
   * with.
   */
  readonly isLarge?: (session: S) => boolean
  /** Where what is not written yet is left when the page goes. */
  readonly lastWord?: LastWord
}

/** What a page left that went before all was written. */
interface Left {
  readonly writer: string
  /** the revision that lay there when it was last known */
  readonly revision: number | null
  readonly session?: unknown
  readonly outlook?: unknown
}

/**
 * Session and outlook are kept as they change, each in its own row. A write starts with the change itself. What changes
 * meanwhile is written right after it: the last state always lands, and none is written twice. A session
 * that takes long to look through is followed by a rest, as long as changes follow one another at once: a drag through
 * thousands of pins must not be held up by writing them. A change that comes alone never waits. The session is only
 * written over what this keeper read or wrote itself.
 * What is not written yet when the page goes is left as a last word, and read from there by the next page, unless
 * somebody wrote meanwhile.
 */
export function createSessionKeeper<S, O>(
  database: Database,
  events: Events,
  now: () => number,
  { checked = (session) => session, isLarge = () => false, lastWord }: Options<S> = {},
) {
  const writer = crypto.randomUUID()
  /** what is being written */
  let underWay: { readonly session?: S | undefined; readonly outlook?: O | undefined } = {}
  let leftBehind = false
  let session: S | undefined
  let outlook: O | undefined
  let writing: Promise<void> | undefined
  let revision: number | undefined
  let open = true
  let endRest: (() => void) | undefined
  let givenMs = Number.NEGATIVE_INFINITY
  let quiet: ReturnType<typeof setTimeout> | undefined

  /** Wait behind a session that took so long to look through, unless somebody waits for what is to be written. */
  async function rest(tookMs: number) {
    if (tookMs < LONG_MS) return
    await new Promise<void>((resolve) => {
      endRest = resolve
      setTimeout(resolve, Math.min(MOST_REST_MS, REST_TIMES * tookMs))
    })
    endRest = undefined
  }

  async function writeSession(state: S) {
    return database.transaction('rw', database.sessions, async () => {
      const there = await database.sessions.get('current')
      if (revisionOf(there) !== revision) return false
      const next = (revision ?? 0) + 1
      await database.sessions.put({ id: 'current', savedAt: now(), session: state, revision: next, writer })
      return next
    })
  }

  async function write() {
    while (open && (session !== undefined || outlook !== undefined)) {
      const [ownSession, ownOutlook] = [session, outlook]
      let checkedMs = 0
      session = undefined
      outlook = undefined
      underWay = { session: ownSession, outlook: ownOutlook }
      try {
        if (ownSession !== undefined) {
          const begun = performance.now()
          const own = checked(ownSession)
          if (isLarge(own)) checkedMs = performance.now() - begun
          const written = await writeSession(own)
          if (written === false) {
            open = false
            events.onOvertaken()
            break
          }
          revision = written
        }
        if (ownOutlook !== undefined) await database.outlooks.put({ id: 'current', outlook: ownOutlook })
      } catch (error) {
        session ??= ownSession
        outlook ??= ownOutlook
        underWay = {}
        writing = undefined
        events.onError(storageError(error))
        return
      }
      underWay = {}
      // a page that was hidden and came back has written it by itself
      if (leftBehind && session === undefined && outlook === undefined) {
        leftBehind = false
        lastWord?.clear()
      }
      events.onSaved({ session: ownSession !== undefined })
      await rest(checkedMs)
    }
    writing = undefined
  }

  return {
    saveSession(next: S) {
      if (!open) return
      session = next
      const nowMs = performance.now()
      if (nowMs - givenMs > GESTURE_MS) endRest?.()
      givenMs = nowMs
      clearTimeout(quiet)
      if (endRest) quiet = setTimeout(() => endRest?.(), GESTURE_MS)
      writing ??= write()
    },
    saveOutlook(next: O) {
      if (!open) return
      outlook = next
      endRest?.()
      writing ??= write()
    },
    /** Write what could not be written before. */
    again() {
      if (session !== undefined || outlook !== undefined) writing ??= write()
    },
    /** resolves when all that was given has been written, or could not be */
    settled() {
      endRest?.()
      return writing ?? Promise.resolve()
    },
    /** The page goes, and may not come back: what is on its way is hurried, and left where it is found at once. */
    leave() {
      endRest?.()
      const last = { session: session ?? underWay.session, outlook: outlook ?? underWay.outlook }
      if (!open || !lastWord || (last.session === undefined && last.outlook === undefined)) return
      try {
        const own = last.session === undefined ? undefined : checked(last.session)
        const left: Left = { writer, revision: revision ?? null, session: own, outlook: last.outlook }
        lastWord.put(JSON.stringify(left))
        leftBehind = true
      } catch {
        // there is no room, or no text for it: it is as well kept as what the database can still take
      }
    },
    /** Write nothing any more, until it is opened again by `load`. What is on its way still lands. */
    async close() {
      endRest?.()
      await writing
      open = false
      session = undefined
      outlook = undefined
    },
    /** Rows that no visit would read: what a row was whose key is no longer its own. */
    async strays(): Promise<readonly { readonly key: unknown; readonly row: unknown }[]> {
      const rows: { key: unknown; row: unknown }[] = []
      await database.sessions.each((row, { primaryKey }) => {
        if (primaryKey !== 'current') rows.push({ key: primaryKey, row })
      })
      return rows
    },
    async removeStray(key: unknown) {
      await database.sessions.delete(key as 'current')
    },
    /**
     * What lies there; undefined on a first visit. From here on this keeper writes over it.
     * @param takesUp  whether what a page left that is gone is taken up. It stays there until something is written.
     */
    async load(takesUp = false): Promise<Kept | undefined> {
      const [row, outlookRow] = await Promise.all([
        database.sessions.get('current'),
        database.outlooks.get('current').catch(() => undefined),
      ])
      revision = revisionOf(row)
      open = true
      const left = takesUp ? leftOver(lastWord, row) : undefined
      if (left) {
        leftBehind = true
        const outlook = left.outlook ?? outlookRow?.outlook
        if (left.session !== undefined) return { session: left.session, outlook, unwritten: true }
        if (row) return { session: apart(row.session).session, outlook, unwritten: true }
      }
      if (!row) return undefined
      return outlookRow ? { session: row.session, outlook: outlookRow.outlook } : apart(row.session)
    },
  }
}

const revisionOf = (row: SessionRow | undefined) => (typeof row?.revision === 'number' ? row.revision : undefined)

/** What a page left, where nobody has written since but that page itself, and that at most once. */
function leftOver(lastWord: LastWord | undefined, row: SessionRow | undefined): Left | undefined {
  try {
    const text = lastWord?.get()
    const left = text ? (JSON.parse(text) as Left | null) : undefined
    if (!left || typeof left !== 'object') return undefined
    const there = revisionOf(row) ?? 0
    const known = left.revision ?? 0
    if (there === known || (there === known + 1 && row?.writer === left.writer)) return left
  } catch {
    // it was cut off, or is not ours
  }
  return undefined
}

/** Until version 5 session and outlook lay in one row. */
function apart(kept: unknown): Kept {
  const old = kept as { session?: unknown; outlook?: unknown } | null | undefined
  const both = typeof old === 'object' && old !== null && 'session' in old && 'outlook' in old
  return both ? { session: old.session, outlook: old.outlook } : { session: kept, outlook: undefined }
}
