import type { Task } from '../core'

/** Run a task to its end, telling how far it is; `part` is which share of all the work it is. */
export function drive<Result>(
  task: Task<Result>,
  progress: (share: number) => void,
  part: { readonly from: number; readonly to: number } = { from: 0, to: 1 },
): Result {
  for (;;) {
    const step = task.next()
    if (step.done) return step.value
    const { doneFrames, totalFrames } = step.value
    progress(part.from + (part.to - part.from) * Math.min(1, doneFrames / Math.max(1, totalFrames)))
  }
}
