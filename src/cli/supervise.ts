import { rmSync } from 'node:fs'
import { createInterface } from 'node:readline'
import { setFlagsFromString } from 'node:v8'
import { isMainThread, parentPort, Worker, workerData } from 'node:worker_threads'
import type { Terminal } from './terminal'

/**
 * The command's work has a thread of its own. The first thread is always there for Ctrl-C, and removes what is half
 * written however busy the other one is.
 */

type FromWork =
  | { readonly type: 'out' | 'err'; readonly text: string }
  | { readonly type: 'progress'; readonly text: string | undefined }
  | { readonly type: 'ask'; readonly text: string }
  | { readonly type: 'hold'; readonly place: string }
  | { readonly type: 'release'; readonly place: string }
  | { readonly type: 'end'; readonly code: number }

interface Given {
  readonly words: readonly string[]
  /** counts up with each answer to `hold` */
  readonly answered: Int32Array
  readonly asksAllowed: boolean
  readonly showsProgress: boolean
}

const SIGNALS = { SIGINT: 2, SIGTERM: 15, SIGHUP: 1 } as const
const ERASE_LINE = '\r\u001b[K'

/** Whether this thread does a command's work. */
export const isWork = () => !isMainThread && 'words' in ((workerData as object | null) ?? {})

/**
 * Have the work done. Resolves with the exit code.
 * @param script  what does the work, in a thread of its own.
 */
export function supervise(script: URL, words: readonly string[]): Promise<number> {
  const held = new Set<string>()
  const answered = new Int32Array(new SharedArrayBuffer(4))
  const given: Given = {
    words,
    answered,
    asksAllowed: Boolean(process.stdin.isTTY && process.stderr.isTTY),
    showsProgress: Boolean(process.stderr.isTTY),
  }
  let progress = false
  const clearProgress = () => {
    if (progress) process.stderr.write(ERASE_LINE)
    progress = false
  }
  const removeHeld = () => {
    for (const place of held) rmSync(place, { force: true })
  }
  // whoever reads may stop early (`| head`): that is no failure
  process.stdout.on('error', () => {
    removeHeld()
    process.exit(0)
  })
  for (const [signal, number] of Object.entries(SIGNALS))
    process.once(signal, () => {
      clearProgress()
      removeHeld()
      process.exit(128 + number)
    })

  // samples make for many full collections, and each throws compiled code away with the closures that ran it: with more
  // room before one, a batch compiles half as much
  setFlagsFromString('--initial-old-space-size=256')
  const worker = new Worker(script, { workerData: given })
  return new Promise((resolve) => {
    let code = 1
    worker.on('message', (message: FromWork) => {
      if (message.type === 'progress') {
        if (message.text === undefined) clearProgress()
        else {
          process.stderr.write(`${ERASE_LINE}${message.text}`)
          progress = true
        }
        return
      }
      if (message.type === 'hold') {
        held.add(message.place)
        Atomics.add(answered, 0, 1)
        Atomics.notify(answered, 0)
        return
      }
      if (message.type === 'release') {
        held.delete(message.place)
        return
      }
      if (message.type === 'end') code = message.code
      else {
        clearProgress()
        if (message.type === 'ask') void ask(message.text).then((yes) => worker.postMessage(yes))
        else (message.type === 'out' ? process.stdout : process.stderr).write(`${message.text.replace(/\n$/, '')}\n`)
      }
    })
    worker.on('error', (error: NodeJS.ErrnoException) => {
      clearProgress()
      const memory = error.code === 'ERR_WORKER_OUT_OF_MEMORY'
      process.stderr.write(
        `zumbet: ${memory ? 'There is not enough memory for this. Try a shorter sound, or fewer --workers.' : `Something went wrong: ${error.message}`}\n`,
      )
    })
    worker.on('exit', () => {
      clearProgress()
      removeHeld()
      resolve(code)
    })
  })
}

/** The one place where something is asked. */
function ask(question: string): Promise<boolean> {
  const lines = createInterface({ input: process.stdin, output: process.stderr })
  return new Promise((resolve) => {
    lines.question(`zumbet: ${question} [y/N] `, (answer) => {
      lines.close()
      resolve(/^y(es)?$/i.test(answer.trim()))
    })
    lines.on('close', () => resolve(false))
  })
}

const PROGRESS_MS = 100

/** Do the work of a command, in its thread. */
export async function work(run: (words: readonly string[], terminal: Terminal) => Promise<number>) {
  const { words, asksAllowed, showsProgress } = workerData as Given
  const post = (message: FromWork) => parentPort?.postMessage(message)
  let toldAt = 0
  const code = await run(words, {
    out: (text) => post({ type: 'out', text }),
    err: (text) => post({ type: 'err', text }),
    progress(share, what = '') {
      if (!showsProgress || Date.now() - toldAt < PROGRESS_MS) return
      toldAt = Date.now()
      post({ type: 'progress', text: `${String(Math.floor(100 * share)).padStart(3)} % ${what}` })
    },
    async ask(question) {
      if (!asksAllowed) return undefined
      post({ type: 'ask', text: question })
      return new Promise((resolve) => parentPort?.once('message', resolve))
    },
  })
  post({ type: 'progress', text: undefined })
  post({ type: 'end', code })
  // it listens no more, so that the thread can end
  parentPort?.close()
}

/** Have a file removed if the command is ended before it is let go. Returns when that is sure. */
export function holdFile(place: string): () => void {
  if (!isWork()) {
    const remove = () => rmSync(place, { force: true })
    process.once('exit', remove)
    return () => process.off('exit', remove)
  }
  const { answered } = workerData as Given
  const before = Atomics.load(answered, 0)
  parentPort?.postMessage({ type: 'hold', place } satisfies FromWork)
  Atomics.wait(answered, 0, before)
  return () => parentPort?.postMessage({ type: 'release', place } satisfies FromWork)
}
