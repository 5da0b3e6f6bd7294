/**
 * One tab has the lock and writes the session. Others watch. The lock goes to the next tab when this one ends, or to
 * one that asks for it. The asking tab waits until the last change has been written.
 */

const LOCK = 'zumbet session'
const CHANNEL = 'zumbet session'
/** a tab that does not answer in this time is asleep, or gone */
const ANSWER_MS = 1500

type Message =
  | { readonly type: 'saved' }
  | { readonly type: 'hand over'; readonly to: string }
  | { readonly type: 'handed over'; readonly to: string }

interface Events {
  /** This tab has the lock: from now on it writes. */
  onWrite(): Promise<void> | void
  /** Another one has taken it: nothing is written any more. */
  onLost(): void
  /** Write what is on its way, then write no more. */
  beforeHandingOver(): Promise<void>
  /** Another tab has written. */
  onSaved(): void
}

export function createTabs(events: Events) {
  const me = crypto.randomUUID()
  const channel = new BroadcastChannel(CHANNEL)
  let writes = false
  let queued: AbortController | undefined
  let answered: (() => void) | undefined

  const post = (message: Message) => channel.postMessage(message)

  channel.onmessage = async ({ data }: MessageEvent<Message>) => {
    if (data.type === 'saved' && !writes) events.onSaved()
    if (data.type === 'hand over' && writes) {
      await events.beforeHandingOver()
      post({ type: 'handed over', to: data.to })
    }
    if (data.type === 'handed over' && data.to === me) answered?.()
  }

  /** Hold the lock until this tab ends, or another one takes it. */
  function hold(options: LockOptions): Promise<boolean> {
    return new Promise((resolve) => {
      navigator.locks
        .request(LOCK, options, (lock) => {
          if (!lock) {
            resolve(false)
            return undefined
          }
          writes = true
          resolve(true)
          // never ends by itself
          return new Promise<void>(() => undefined)
        })
        .catch(() => {
          const had = writes && !options.signal?.aborted
          resolve(false)
          if (!had) return
          writes = false
          events.onLost()
          wait()
        })
    })
  }

  /** Stand in line: when the tab that writes is closed, the next one goes on. */
  function wait() {
    queued?.abort()
    const mine = new AbortController()
    queued = mine
    void hold({ signal: mine.signal }).then((got) => {
      if (got) return events.onWrite()
    })
  }

  return {
    /** Whether this tab writes. Where it does not, it stands in line. */
    async begin(): Promise<boolean> {
      if (!('locks' in navigator)) {
        writes = true
        return true
      }
      const got = await hold({ ifAvailable: true })
      if (!got) wait()
      return got
    },
    /** Write from here from now on. */
    async takeOver() {
      if (writes) return events.onWrite()
      queued?.abort()
      queued = undefined
      await new Promise<void>((resolve) => {
        answered = resolve
        post({ type: 'hand over', to: me })
        setTimeout(resolve, ANSWER_MS)
      })
      answered = undefined
      if (await hold({ steal: true })) await events.onWrite()
    },
    /** Tell the others that something was written. */
    saved() {
      if (writes) post({ type: 'saved' })
    },
  }
}
