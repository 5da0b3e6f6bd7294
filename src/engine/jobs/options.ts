import type { runTask } from '../../host/runTask'

/** What work that can be watched, paused and ended gets. */
export type JobOptions = Parameters<typeof runTask>[1]
