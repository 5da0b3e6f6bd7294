import type { Job, JobMessage, JobReport, JobResults } from '../../engine/jobProtocol'
import type { PlayerMessage } from '../../engine/playerProtocol'

/** What a job comes to in a test: a result, a promise of one, or an error to fail with. */
export type Answer = (job: Job) => JobResults[keyof JobResults] | Promise<JobResults[keyof JobResults]> | Error

/** The jobs that were begun, in order, and those that were cancelled. */
export const begun: Job[] = []
export const cancelled: Job[] = []
/** what the player was told, in order */
export const played: PlayerMessage[] = []
let answer: Answer = () => new Error('no answer was given')
let hold: Promise<void> | undefined
let release = () => {}

/** From now on jobs are answered like this. */
export function answerWith(next: Answer) {
  answer = next
  begun.length = 0
  cancelled.length = 0
  played.length = 0
  hold = undefined
  release()
}

/** Let measuring wait where it is; call what comes back to let it go on. */
export function holdMeasuring(): () => void {
  hold = new Promise((resolve) => {
    release = resolve
  })
  return () => {
    hold = undefined
    release()
  }
}

/**
 * Takes the place of the browser's Worker: job workers answer as the test says, the player's hears everything and says nothing.
 * Messages arrive later than they are sent, as they do from a thread.
 */
export class StandInWorker {
  onmessage: ((event: { data: JobReport }) => void) | undefined
  onerror: unknown
  private readonly jobs = new Map<number, Job>()

  postMessage(message: JobMessage | PlayerMessage) {
    if (isForPlayer(message)) played.push(message)
    else if (message.type === 'run') void this.run(message.jobId, message.job)
    else if (message.type === 'cancel') {
      const job = this.jobs.get(message.jobId)
      if (!job) return
      cancelled.push(job)
      this.jobs.delete(message.jobId)
      queueMicrotask(() => this.say({ type: 'cancelled', jobId: message.jobId }))
    }
  }

  terminate() {}

  private say(data: JobReport) {
    this.onmessage?.({ data })
  }

  private async run(jobId: number, job: Job) {
    this.jobs.set(jobId, job)
    begun.push(job)
    if (job.kind === 'measure') await hold
    await Promise.resolve()
    const result = await answer(job)
    if (!this.jobs.delete(jobId)) return
    if (result instanceof Error)
      this.say({ type: 'failed', jobId, error: { code: 'unknown', message: result.message, details: {} } })
    else this.say({ type: 'done', jobId, result })
  }
}

const FOR_JOBS = ['run', 'gentle', 'beside', 'cancel', 'pause', 'resume']
const isForPlayer = (message: JobMessage | PlayerMessage): message is PlayerMessage => !FOR_JOBS.includes(message.type)
