export interface Progress {
  readonly doneFrames: number
  readonly totalFrames: number
}

/** Long work: it yields its progress between pieces, so whoever drives it can breathe, show, or stop. */
export type Task<Result> = Generator<Progress, Result, void>

/**
 * Work in small steps for whoever may not be held up. `waits` comes while it can do nothing, since a part of a file is
 * still being read beside: it is to be asked again in a later turn of the event loop.
 */
// biome-ignore lint/suspicious/noConfusingVoidType: most steps have nothing to tell
export type Preparing<Result = unknown> = Generator<'waits' | void, Result>

/** Run a task, or other work in steps, to its end in one go. */
export function finish<Result>(task: Generator<unknown, Result, void>): Result {
  for (;;) {
    const step = task.next()
    if (step.done) return step.value
  }
}

/** Works in small steps, one behind the other; undefined where there is none. */
export function inTurn(...works: readonly (Generator<void> | undefined)[]): Generator<void> | undefined {
  const left = works.filter((work) => work !== undefined)
  return left.length > 1 ? oneByOne(left) : left[0]
}

function* oneByOne(works: readonly Generator<void>[]): Generator<void> {
  for (const work of works) yield* work
}

/** A task's progress as a part of a larger one's, from one share of it to another. */
export function* partOf<Result>(task: Task<Result>, from: number, to: number): Task<Result> {
  for (;;) {
    const step = task.next()
    if (step.done) return step.value
    const { doneFrames, totalFrames } = step.value
    const share = Math.min(1, doneFrames / Math.max(1, totalFrames))
    yield { doneFrames: totalFrames * (from + (to - from) * share), totalFrames }
  }
}
