import type { Progress, Task } from '../core'

const BREATHE_MS = 12
/** a page that draws every breath of every worker has no time for anything else */
const TELL_MS = 150

/**
 * Drive a task to its end, letting others run every 12 ms or so: a cancel can arrive, a page can draw. Progress is told at the first
 * breath, and then a few times a second.
 * Rejects with the signal's reason when aborted; the task is then closed where it stands.
 */
export async function runTask<Result>(
  task: Task<Result>,
  options: {
    signal?: AbortSignal
    onProgress?: (progress: Progress) => void
    /** asked at every breath: what it gives is waited for */
    rest?: () => Promise<void> | undefined
  } = {},
): Promise<Result> {
  const { signal, onProgress, rest } = options
  let breathedAt = performance.now()
  let toldAt = Number.NEGATIVE_INFINITY
  try {
    for (;;) {
      signal?.throwIfAborted()
      const step = task.next()
      if (step.done) return step.value
      if (performance.now() - breathedAt > BREATHE_MS) {
        if (performance.now() - toldAt > TELL_MS) {
          onProgress?.(step.value)
          toldAt = performance.now()
        }
        await breathe()
        await rest?.()
        breathedAt = performance.now()
      }
    }
  } finally {
    task.return(undefined as Result)
  }
}

/** A turn of the event loop without the 4 ms that nested timers cost. */
export function breathe(): Promise<void> {
  return new Promise((resolve) => {
    const { port1, port2 } = new MessageChannel()
    const ear = port1 as unknown as { onmessage: (() => void) | null; close(): void }
    ear.onmessage = () => {
      ear.close()
      resolve()
    }
    port2.postMessage(null)
  })
}
