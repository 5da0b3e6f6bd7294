import { AppError, type Progress } from '../core'
import { fromWire } from '../host/errorWire'
import type { Job, JobMessage, JobReport, JobResults } from './jobProtocol'

const CORES = (typeof navigator === 'undefined' ? undefined : navigator.hardwareConcurrency) || 2
const WORKERS = Math.max(2, Math.min(4, CORES - 1))

/** jobs of this rank and above are work in the background */
const BACKGROUND_FROM_RANK = 3

export interface JobOptions {
  readonly signal?: AbortSignal
  readonly onProgress?: (progress: Progress) => void
  /** jobs of a lower number go first, equal ones in the order they came; 0 is for what somebody waits for */
  readonly rank?: number
  /** a job that gives no sign of life for so long is ended with its worker; not while it has to wait */
  readonly limit?: { readonly ms: number; readonly error: () => unknown }
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
  /** it holds its job and waits, so that something else has room */
  paused: boolean
  timer: ReturnType<typeof setTimeout> | undefined
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
  let restMs = 0
  let beside: SharedArrayBuffer | undefined

  function open(): Seat {
    const seat: Seat = { worker: makeWorker(), jobId: undefined, work: undefined, paused: false, timer: undefined }
    seat.worker.onmessage = ({ data }: MessageEvent<JobReport>) => hear(seat, data)
    seat.worker.onerror = (event) => end(seat, new AppError('job/died', { why: event.message || 'it could not start' }))
    if (beside) seat.worker.postMessage({ type: 'beside', control: beside } satisfies JobMessage)
    if (restMs > 0) seat.worker.postMessage({ type: 'gentle', restMs } satisfies JobMessage)
    seats.push(seat)
    return seat
  }

  /** Give up a worker, and what it does. */
  function end(seat: Seat, error: unknown) {
    clearTimeout(seat.timer)
    seat.work?.reject(error)
    seat.worker.terminate()
    const at = seats.indexOf(seat)
    if (at >= 0) seats.splice(at, 1)
    next()
  }

  /** From now on its job has so long for its next sign of life. */
  function watch(seat: Seat) {
    clearTimeout(seat.timer)
    const limit = seat.work?.options.limit
    if (limit && !seat.paused) seat.timer = setTimeout(() => end(seat, limit.error()), limit.ms)
  }

  function hear(seat: Seat, report: JobReport) {
    if (report.jobId !== seat.jobId) return
    const { work } = seat
    watch(seat)
    if (report.type === 'progress') {
      if (work && !work.options.signal?.aborted) work.options.onProgress?.(report.progress)
      return
    }
    clearTimeout(seat.timer)
    seat.jobId = undefined
    seat.work = undefined
    seat.paused = false
    if (report.type === 'done') work?.resolve(report.result as never)
    else if (report.type === 'failed') work?.reject(fromWire(report.error))
    next()
  }

  const rankOf = (seat: Seat) => seat.work?.rank ?? 0

  function pause(seat: Seat, paused: boolean) {
    if (seat.jobId === undefined) return
    seat.paused = paused
    watch(seat)
    seat.worker.postMessage({ type: paused ? 'pause' : 'resume', jobId: seat.jobId } satisfies JobMessage)
  }

  function next() {
    for (;;) {
      const best = queue.reduce<Waiting | undefined>((a, b) => (a && a.rank <= b.rank ? a : b), undefined)
      const paused = seats
        .filter((seat) => seat.paused)
        .reduce<Seat | undefined>((a, b) => (a && rankOf(a) <= rankOf(b) ? a : b), undefined)
      const active = seats.filter((s) => s.jobId !== undefined && !s.paused).length
      // what was begun goes on before anything of its rank begins
      if (paused && active < most && (!best || rankOf(paused) <= best.rank)) {
        pause(paused, false)
        continue
      }
      if (!best) return
      // somebody waits for a job of rank 0: it need not wait for work in the background, however long that is
      const behind = seats.filter((s) => s.jobId !== undefined && !s.paused && rankOf(s) >= BACKGROUND_FROM_RANK)
      const [last] = behind.sort((a, b) => rankOf(b) - rankOf(a))
      if (best.rank === 0 && active >= most && last) {
        // it takes the time of what nobody waits for, rather than a share of everybody's
        pause(last, true)
        continue
      }
      const room = best.rank === 0 ? Math.max(most, 1) + 1 : most
      if (active >= room) return
      const seat = seats.find((s) => s.jobId === undefined) ?? open()
      queue.splice(queue.indexOf(best), 1)
      seat.jobId = ++lastId
      seat.work = best
      watch(seat)
      const background = best.rank >= BACKGROUND_FROM_RANK
      seat.worker.postMessage({ type: 'run', jobId: seat.jobId, job: best.job, background } satisfies JobMessage)
    }
  }

  return {
    /** Have a worker ready before there is a job: its script takes a while to load. */
    warm() {
      if (seats.length === 0) open()
    },
    /** Let all work wait while little is written in the ring that sound is played from. */
    playBeside(control: SharedArrayBuffer) {
      beside = control
      for (const { worker } of seats) worker.postMessage({ type: 'beside', control } satisfies JobMessage)
    },
    /**
     * Let fewer than `size` jobs run at once from now on (at least one), so that something else has room. Of those that
     * run, the ones of the highest rank wait where they are. Work in the background, which nobody waits for, rests for
     * `rest` ms after every 12 that it works.
     */
    limit(jobs: number, rest = 12) {
      most = Math.max(1, Math.min(size, jobs))
      const before = restMs
      restMs = most < size ? rest : 0
      if (restMs !== before)
        for (const { worker } of seats) worker.postMessage({ type: 'gentle', restMs } satisfies JobMessage)
      const going = seats.filter((seat) => seat.jobId !== undefined && !seat.paused && rankOf(seat) > 0)
      for (const seat of going.sort((a, b) => rankOf(a) - rankOf(b)).slice(most)) pause(seat, true)
      next()
    },
    run<K extends Job['kind']>(job: Extract<Job, { kind: K }>, options: JobOptions = {}): Promise<JobResults[K]> {
      const { signal, rank = 1 } = options
      return new Promise((resolve, reject) => {
        if (signal?.aborted) {
          reject(signal.reason)
          return
        }
        // what is over lets go of the signal: one of a long batch would hold all that was ever asked for
        const over = () => signal?.removeEventListener('abort', stop)
        const work: Waiting = {
          job,
          rank,
          options,
          resolve(result: never) {
            over()
            resolve(result)
          },
          reject(error) {
            over()
            reject(error)
          },
        }
        function stop() {
          const at = queue.indexOf(work)
          if (at >= 0) queue.splice(at, 1)
          const seat = seats.find((s) => s.work === work)
          if (seat?.jobId !== undefined) {
            seat.worker.postMessage({ type: 'cancel', jobId: seat.jobId } satisfies JobMessage)
          }
          work.reject(signal?.reason)
        }
        signal?.addEventListener('abort', stop)
        queue.push(work)
        next()
      })
    },
  }
}

export type JobPool = ReturnType<typeof createJobPool>

export function createWorkerPool(): JobPool {
  const pool = createJobPool(WORKERS, () => new Worker(new URL('./job.worker.ts', import.meta.url), { type: 'module' }))
  if (typeof Worker !== 'undefined') pool.warm()
  return pool
}

/** Jobs at once that leave playback a core of its own. */
export const WORKERS_BESIDE_PLAYBACK = Math.max(1, Math.min(WORKERS, CORES - 1))
/** Jobs at once when nothing plays. */
export const WORKERS_ALONE = WORKERS
