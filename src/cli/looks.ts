import { type Analysis, finish, type Look, type Looking, lookerAt, lookTask, soundSource, type Trial } from '../core'
import { lookAll } from '../host/lookAll'
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
export async function lookBeside<Result>(
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
  const take = (look: Look) => {
    threads ??= keptThreads('looks', given, count)
    return threads.askNext<Trial>(look)
  }
  try {
    return await lookAll(looking, take, (share) => progress(part.from + (part.to - part.from) * share))
  } finally {
    await threads?.close()
  }
}
