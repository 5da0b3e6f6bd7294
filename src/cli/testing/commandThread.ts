import { type MessagePort, workerData } from 'node:worker_threads'
import { main } from '../main'
import { services } from '../services'
import { sessionCommands } from '../sessionCommands'
import { serve } from '../threads'

/**
 * A thread that carries out one command after another. Bundled, so that commands have threads of their own, as ever.
 */

export interface ThreadGiven {
  readonly asked: MessagePort
  readonly told: MessagePort
  /** counts up with each answer */
  readonly answers: Int32Array
}

export interface Came {
  readonly status: number
  readonly stdout: string
  readonly stderr: string
}

// the threads that a command starts load this file as well
if ('service' in (workerData as object)) serve(services)
else {
  const { asked, told, answers } = workerData as ThreadGiven
  asked.on('message', async (words: readonly string[]) => {
    const [out, err]: [string[], string[]] = [[], []]
    const line = (text: string) => `${text.replace(/\n$/, '')}\n`
    const status = await main(
      words,
      {
        out: (text) => void out.push(line(text)),
        err: (text) => void err.push(line(text)),
        progress: () => undefined,
        ask: async () => undefined,
      },
      sessionCommands,
    )
    told.postMessage({ status, stdout: out.join(''), stderr: err.join('') } satisfies Came)
    Atomics.add(answers, 0, 1)
    Atomics.notify(answers, 0)
  })
}
