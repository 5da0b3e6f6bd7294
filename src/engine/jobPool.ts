import type { Progress } from '../core'
import { fromWire } from '../host/errorWire'
import type { Job, JobMessage, JobReport, JobResults } from './jobProtocol'

const CORES = (typeof navigator === 'undefined' ? undefined : navigator.hardwareConcurrency) || 2
const WORKERS = Math.max(2, Math.min(4, CORES - 1))

export interface JobOptions {
  readonly signal?: AbortSignal
  readonly onProgress?: (progress: Progress) => void
  /** jobs of a lower number go first, equal ones in the order they came; 0 is for what somebody waits for */
  readonly rank?: number
}

interface Waiting {
  readonly job: Job
  readonly rank: number
  readonly options: JobOptions
  readonly resolve: (result: never) => void
  readonly reject: (reason: unknown) => void
}

interface Seat {
  readonly worker: Worker
  jobId: number | undefined
  work: Waiting | undefined
}

/** The part of a Worker that the pool needs; tests give their own. */
export type MakeWorker = () => Worker

/**
 * Runs jobs in a few workers, each doing one at a time, with one worker more for jobs of rank 0. A cancelled job rejects with its signal's reason at once; its
 * worker is free again when it has noticed. A worker that dies fails its job and is replaced.
 */
export function createJobPool(size: number, makeWorker: MakeWorker) {
  const seats: Seat[] = []
  const queue: Waiting[] = []
  let lastId = 0
  let most = size

  function open(): Seat {
    const seat: Seat = { worker: makeWorker(), jobId: undefined, work: undefined }
    seat.worker.onmessage = ({ data }: MessageEvent<JobReport>) => hear(seat, data)
    seat.worker.onerror = (event) => {
      seat.work?.reject(new Error(event.message || 'a worker could not start'))
      seat.worker.terminate()
      seats.splice(seats.indexOf(seat), 1)
      next()
    }
    seats.push(seat)
    return seat
  }

  function hear(seat: Seat, report: JobReport) {
    if (report.jobId !== seat.jobId) return
    const { work } = seat
    if (report.type === 'progress') {
      if (work && !work.options.signal?.aborted) work.options.onProgress?.(report.progress)
      return
    }
    seat.jobId = undefined
    seat.work = undefined
    if (report.type === 'done') work?.resolve(report.result as never)
    else if (report.type === 'failed') work?.reject(fromWire(report.error))
    next()
  }

  function next() {
    while (queue.length > 0) {
      const best = queue.reduce((a, b) => (b.rank < a.rank ? b : a))
      // somebody waits for a job of rank 0: it need not wait for work in the background, however long that is
      const room = best.rank === 0 ? Math.max(most, 1) + 1 : most
      if (seats.filter((s) => s.jobId !== undefined).length >= room) return
      const seat = seats.find((s) => s.jobId === undefined) ?? open()
      queue.splice(queue.indexOf(best), 1)
      seat.jobId = ++lastId
      seat.work = best
      seat.worker.postMessage({ type: 'run', jobId: seat.jobId, job: best.job } satisfies JobMessage)
    }
  }

  return {
    /** Let fewer than `size` jobs run at once from now on (at least one), so that something else has room. */
    limit(jobs: number) {
      most = Math.max(1, Math.min(size, jobs))
      next()
    },
    run<K extends Job['kind']>(job: Extract<Job, { kind: K }>, options: JobOptions = {}): Promise<JobResults[K]> {
      const { signal, rank = 1 } = options
      return new Promise((resolve, reject) => {
        if (signal?.aborted) {
          reject(signal.reason)
          return
        }
        const work: Waiting = { job, rank, options, resolve: resolve as (result: never) => void, reject }
        signal?.addEventListener(
          'abort',
          () => {
            const at = queue.indexOf(work)
            if (at >= 0) queue.splice(at, 1)
            const seat = seats.find((s) => s.work === work)
            if (seat?.jobId !== undefined) {
              seat.worker.postMessage({ type: 'cancel', jobId: seat.jobId } satisfies JobMessage)
            }
            reject(signal.reason)
          },
          { once: true },
        )
        queue.push(work)
        next()
      })
    },
  }
}

export type JobPool = ReturnType<typeof createJobPool>

export function createWorkerPool(): JobPool {
  return createJobPool(WORKERS, () => new Worker(new URL('./job.worker.ts', import.meta.url), { type: 'module' }))
}

/** Jobs at once that leave playback a core of its own. */
export const WORKERS_BESIDE_PLAYBACK = Math.max(1, Math.min(WORKERS, CORES - 1))
/** Jobs at once when nothing plays. */
export const WORKERS_ALONE = WORKERS
