import type { Database, SessionRow } from './database'
import { storageError } from './storageError'

/** What lies in storage, as it lies there. */
export interface Kept {
  readonly session: unknown
  readonly outlook: unknown
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

/**
 * Session and outlook are kept as they change, each in its own row. A write starts with the change itself. What changes
 * meanwhile is written right after it: the last state always lands, and none is written twice. A session
 * that takes long to look through is followed by a rest, as long as changes follow one another at once: a drag through
 * thousands of pins must not be held up by writing them. A change that comes alone never waits. The session is only
 * written over what this keeper read or wrote itself.
 * @param checked  gives what is to be written, as it may be.
 * @param isLarge  whether a session may take long to look through: only such a one is rested behind, whatever the
 *   machine
 *   is busy with.
 */
export function createSessionKeeper<S, O>(
  database: Database,
  events: Events,
  now: () => number,
  checked: (session: S) => S = (session) => session,
  isLarge: (session: S) => boolean = () => false,
) {
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
      await database.sessions.put({ id: 'current', savedAt: now(), session: state, revision: next })
      return next
    })
  }

  async function write() {
    while (open && (session !== undefined || outlook !== undefined)) {
      const [ownSession, ownOutlook] = [session, outlook]
      let checkedMs = 0
      session = undefined
      outlook = undefined
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
        writing = undefined
        events.onError(storageError(error))
        return
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
    /** What lies there; undefined on a first visit. From here on this keeper writes over it. */
    async load(): Promise<Kept | undefined> {
      const [row, outlookRow] = await Promise.all([
        database.sessions.get('current'),
        database.outlooks.get('current').catch(() => undefined),
      ])
      revision = revisionOf(row)
      open = true
      if (!row) return undefined
      return outlookRow ? { session: row.session, outlook: outlookRow.outlook } : apart(row.session)
    },
  }
}

const revisionOf = (row: SessionRow | undefined) => (typeof row?.revision === 'number' ? row.revision : undefined)

/** Until version 5 session and outlook lay in one row. */
function apart(kept: unknown): Kept {
  const old = kept as { session?: unknown; outlook?: unknown } | null | undefined
  const both = typeof old === 'object' && old !== null && 'session' in old && 'outlook' in old
  return both ? { session: old.session, outlook: old.outlook } : { session: kept, outlook: undefined }
}
