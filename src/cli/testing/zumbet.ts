import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { MessageChannel, receiveMessageOnPort, Worker } from 'node:worker_threads'
import type { Came, ThreadGiven } from './commandThread'

const { bundled } = (await import(
  /* @vite-ignore */ pathToFileURL(join(process.cwd(), 'scripts/bundle.mjs')).href
)) as {
  bundled(entry: string, sources: readonly string[]): Promise<string>
}
const script = await bundled('src/cli/testing/commandThread.ts', ['src/cli', 'src/core', 'src/host', 'src/session'])

/** no command of a test takes as long */
const MOST_MS = 100_000

function startThread() {
  const [asked, told] = [new MessageChannel(), new MessageChannel()]
  const answers = new Int32Array(new SharedArrayBuffer(4))
  const given: ThreadGiven = { asked: asked.port2, told: told.port2, answers }
  const worker = new Worker(script, { workerData: given, transferList: [asked.port2, told.port2] })
  worker.unref()
  return { asked: asked.port1, told: told.port1, answers }
}

let thread: ReturnType<typeof startThread> | undefined

/**
 * A command: what it ends with and what it says. It runs in a thread that stays, since starting one takes longer than
 * most of what tests ask; whatever is about the process itself, such as signals, starts `bin/zumbet.mjs`.
 */
export function zumbet(...words: string[]): Came {
  thread ??= startThread()
  const { asked, told, answers } = thread
  const before = Atomics.load(answers, 0)
  asked.postMessage(words)
  if (Atomics.wait(answers, 0, before, MOST_MS) === 'timed-out') {
    thread = undefined
    throw new Error(`zumbet ${words.join(' ')}: no answer`)
  }
  return receiveMessageOnPort(told)?.message as Came
}

/** The same as a process of its own. */
export function started(...words: string[]): Came {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['bin/zumbet.mjs', ...words], { encoding: 'utf8' })
  return { status: status ?? -1, stdout, stderr }
}
