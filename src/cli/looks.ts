import { type Analysis, finish, type Look, type Looking, lookerAt, lookTask, soundSource, type Trial } from '../core'
import { drive } from './drive'
import { type OpenSound, openSent, type SentSound, sent, sourceOf } from './files'
import type { Terminal } from './terminal'
import { keptThreads } from './threads'

interface Given {
  readonly sound: SentSound
  readonly known: Analysis
}

/** Looks at a sound, one after another, as they are asked for. */
export function serveLooks({ sound, known }: Given) {
  const look = lookerAt(openSent(sound), known)
  return (asked: Look): Trial => finish(look(asked))
}

/** Take all looks that are asked for, in so many threads at once; what comes of them is the same for any number. */
export async function lookAll<Result>(
  looking: Looking<Result>,
  sound: OpenSound,
  known: Analysis,
  count: number,
  progress: Terminal['progress'],
  part: { readonly from: number; readonly to: number },
): Promise<Result> {
  if (count < 2) return drive(lookTask(looking, soundSource(sourceOf(sound)), known), progress, part)
  const given: Given = { sound: sent(sound), known }
  let threads: ReturnType<typeof keptThreads> | undefined
  try {
    let told: readonly Trial[] = []
    for (;;) {
      const step = looking.next(told)
      if (step.done) return step.value
      const { looks, from, to } = step.value
      if (looks.length > 0) threads ??= keptThreads('looks', given, count)
      told = await lookBeside(threads, count, looks, (done) =>
        progress(part.from + (part.to - part.from) * (from + (to - from) * done)),
      )
    }
  } finally {
    await threads?.close()
  }
}

/** Each look goes to the next thread that is free. */
async function lookBeside(
  threads: ReturnType<typeof keptThreads> | undefined,
  count: number,
  looks: readonly Look[],
  show: (share: number) => void,
): Promise<Trial[]> {
  const trials: Trial[] = []
  let next = 0
  let done = 0
  const ask = async (thread: number) => {
    while (next < looks.length) {
      const n = next++
      trials[n] = (await threads?.ask<Trial>(thread, looks[n])) as Trial
      show(++done / looks.length)
    }
  }
  await Promise.all(Array.from({ length: count }, (_, thread) => ask(thread)))
  return trials
}
