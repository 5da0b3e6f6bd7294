import { once } from 'node:events'
import { availableParallelism } from 'node:os'
import { parentPort, Worker, workerData } from 'node:worker_threads'
import { fromWire, toWire, type WireError } from '../host/errorWire'
import { type Arguments, UsageError } from './args'

const MOST_THREADS = 4

/** How many threads `--workers` asks for; without it as many as there are cores, up to four. */
export function threadsFrom(args: Arguments): number {
  const workers = args.number('workers')
  if (workers !== undefined && !(Number.isInteger(workers) && workers >= 1 && workers <= 64))
    throw new UsageError('--workers takes a whole number from 1 to 64')
  return workers ?? Math.min(MOST_THREADS, availableParallelism())
}

/** What a thread of this command does for others: made once from what it is given, then it answers, one question after another. */
export type Service = (given: never) => (question: never) => unknown

type Answer = { readonly answer: unknown } | { readonly failed: WireError }

interface Given {
  readonly service: string
  readonly given: unknown
}

/**
 * Ask threads of this command all these questions, each as soon as one is free; answers come in the order of the questions, as soon as
 * they may. What is given to a thread is shared memory or copied.
 * @throws what the service threw, as an `AppError`, when its turn comes; the rest is then let go.
 */
export async function* askThreads<Question, Result>(
  service: string,
  given: unknown,
  questions: readonly Question[],
  count: number,
): AsyncGenerator<Result> {
  const workerData: Given = { service, given }
  const threads = Array.from(
    { length: Math.min(count, questions.length) },
    () => new Worker(new URL(import.meta.url), { workerData }),
  )
  const tell: ((answer: Promise<Answer>) => void)[] = []
  const answers = questions.map(
    (_, n) =>
      new Promise<Answer>((resolve) => {
        tell[n] = resolve
      }),
  )
  // who is not waited for any more must not end the process
  for (const answer of answers) answer.catch(() => undefined)
  let next = 0
  const serveWith = async (thread: Worker) => {
    while (next < questions.length) {
      const n = next++
      thread.postMessage(questions[n])
      // rejects when the thread dies
      const answer = once(thread, 'message').then(([told]) => told as Answer)
      tell[n]?.(answer)
      if (!(await answer.then(Boolean, () => false))) return
    }
  }
  for (const thread of threads) void serveWith(thread)
  try {
    for (const coming of answers) {
      const answer = await coming
      if ('failed' in answer) throw fromWire(answer.failed)
      yield answer.answer as Result
    }
  } finally {
    await Promise.all(threads.map((thread) => thread.terminate()))
  }
}

/** The same of one thread and one question. */
export async function askThread<Result>(service: string, given: unknown): Promise<Result> {
  for await (const answer of askThreads<undefined, Result>(service, given, [undefined], 1)) return answer
  throw new Error(`${service}: no answer`)
}

/** Threads that keep what they have made from one question to the next. To be closed. */
export function keptThreads(service: string, given: unknown, count: number) {
  const workerData: Given = { service, given }
  const threads = Array.from({ length: count }, () => new Worker(new URL(import.meta.url), { workerData }))
  const free = threads.map((_, thread) => thread)
  const waiting: (() => void)[] = []
  /** Ask one by its number. @throws what the service threw. */
  const ask = async <Result>(thread: number, question: unknown): Promise<Result> => {
    const worker = threads[thread] as Worker
    const answer = once(worker, 'message')
    worker.postMessage(question)
    const [told] = (await answer) as [Answer]
    if ('failed' in told) throw fromWire(told.failed)
    return told.answer as Result
  }
  return {
    ask,
    /** Ask whichever is free first, of those that are asked in this way alone. */
    async askNext<Result>(question: unknown): Promise<Result> {
      while (free.length === 0) await new Promise<void>((resolve) => waiting.push(resolve))
      const thread = free.shift() as number
      try {
        return await ask(thread, question)
      } finally {
        free.push(thread)
        waiting.shift()?.()
      }
    },
    close: () => Promise.all(threads.map((thread) => thread.terminate())),
  }
}

/** Be such a thread. */
export function serve(services: Readonly<Record<string, Service>>) {
  const { service, given } = workerData as Given
  const answerTo = services[service]?.(given as never)
  parentPort?.on('message', async (question: unknown) => {
    let told: Answer
    try {
      told = { answer: await answerTo?.(question as never) }
    } catch (error) {
      told = { failed: toWire(error) }
    }
    parentPort?.postMessage(told, 'answer' in told ? ownBuffers(told.answer) : [])
  })
}

/** Memory of samples in an answer that nobody shares: it is handed over, not copied. */
function ownBuffers(answer: unknown): ArrayBuffer[] {
  if (answer instanceof Float32Array) return answer.buffer instanceof ArrayBuffer ? [answer.buffer] : []
  if (Array.isArray(answer)) return answer.flatMap(ownBuffers)
  if (typeof answer === 'object' && answer !== null && 'channels' in answer) return ownBuffers(answer.channels)
  return []
}
