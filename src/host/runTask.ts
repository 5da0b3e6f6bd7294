import type { Progress, Task } from '../core'

const BREATHE_MS = 12

/**
 * Drive a task to its end, letting others run every 12 ms or so: a cancel can arrive, a page can draw.
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
  try {
    for (;;) {
      signal?.throwIfAborted()
      const step = task.next()
      if (step.done) return step.value
      if (performance.now() - breathedAt > BREATHE_MS) {
        onProgress?.(step.value)
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
function breathe(): Promise<void> {
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
