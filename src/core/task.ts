export interface Progress {
  readonly doneFrames: number
  readonly totalFrames: number
}

/** Long work: it yields its progress between pieces, so whoever drives it can breathe, show, or stop. */
export type Task<Result> = Generator<Progress, Result, void>

/** Run a task, or other work in steps, to its end in one go. */
export function finish<Result>(task: Generator<unknown, Result, void>): Result {
  for (;;) {
    const step = task.next()
    if (step.done) return step.value
  }
}
