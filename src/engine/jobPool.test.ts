import { describe, expect, it, vi } from 'vitest'
import { AppError } from '../core'
import { recipe } from '../core/testing/recipes'
import { noise } from '../core/testing/signals'
import { toWire } from '../host/errorWire'
import { createJobPool } from './jobPool'
import type { Job, JobMessage, JobReport } from './jobProtocol'
import { soundInMemory } from './sound'

/** A worker that does what the test says, when it says. */
class HandWorker {
  onmessage: ((event: { data: JobReport }) => void) | null = null
  onerror: ((event: { message: string }) => void) | null = null
  readonly got: JobMessage[] = []
  postMessage(message: JobMessage) {
    this.got.push(message)
  }
  ended = false
  terminate() {
    this.ended = true
  }
  say(report: JobReport) {
    this.onmessage?.({ data: report })
  }
}

function poolOf(size: number) {
  const workers: HandWorker[] = []
  const pool = createJobPool(size, () => {
    const worker = new HandWorker()
    workers.push(worker)
    return worker as unknown as Worker
  })
  return { pool, workers }
}

const job: Extract<Job, { kind: 'render' }> = {
  kind: 'render',
  sound: soundInMemory(noise({ seconds: 0.01, seed: 1 })),
  recipe: recipe('wsola'),
  keep: false,
}
const result = { frames: 1 } as never

describe('the job pool', () => {
  it('gives each worker one job at a time, lowest rank first', async () => {
    const { pool, workers } = poolOf(1)
    const order: string[] = []
    const first = pool.run<'render'>(job).then(() => order.push('first'))
    const late = pool.run<'render'>(job, { rank: 5 }).then(() => order.push('late'))
    const soon = pool.run<'render'>(job, { rank: 0.5 }).then(() => order.push('soon'))
    for (const jobId of [1, 2, 3]) {
      expect(workers[0]?.got).toHaveLength(jobId)
      workers[0]?.say({ type: 'done', jobId, result })
    }
    await Promise.all([first, late, soon])
    expect(order).toEqual(['first', 'soon', 'late'])
    expect(workers).toHaveLength(1)
  })

  it('shows the ring that sound is played from to every worker, also to those that come later', () => {
    const { pool, workers } = poolOf(2)
    void pool.run<'render'>(job)
    const control = new SharedArrayBuffer(8)
    pool.playBeside(control)
    void pool.run<'render'>(job)
    for (const { got } of workers) expect(got).toContainEqual({ type: 'beside', control })
    expect(workers).toHaveLength(2)
  })

  it('lets go of a signal with each job that is over, and of all that is stopped', async () => {
    const { pool, workers } = poolOf(1)
    const stop = new AbortController()
    const listening = new Set<unknown>()
    const { signal } = stop
    vi.spyOn(signal, 'addEventListener').mockImplementation((_, own) => listening.add(own))
    vi.spyOn(signal, 'removeEventListener').mockImplementation((_, own) => listening.delete(own))
    const jobs = Array.from({ length: 4 }, () => pool.run<'render'>(job, { signal }))
    expect(listening.size).toBe(4)
    workers[0]?.say({ type: 'done', jobId: 1, result })
    workers[0]?.say({ type: 'failed', jobId: 2, error: toWire(new AppError('export/too-long', { bytes: 5 })) })
    await expect(Promise.allSettled(jobs.slice(0, 2))).resolves.toMatchObject([
      { status: 'fulfilled' },
      { status: 'rejected' },
    ])
    expect(listening.size).toBe(2)
    for (const own of [...listening] as (() => void)[]) own()
    expect(listening.size).toBe(0)
    await expect(Promise.allSettled(jobs.slice(2))).resolves.toMatchObject([
      { status: 'rejected' },
      { status: 'rejected' },
    ])
  })

  it('tells progress, rebuilds errors, and drops what comes late', async () => {
    const { pool, workers } = poolOf(2)
    const onProgress = vi.fn()
    const failing = pool.run<'render'>(job, { onProgress })
    workers[0]?.say({ type: 'progress', jobId: 1, progress: { doneFrames: 1, totalFrames: 2 } })
    workers[0]?.say({ type: 'failed', jobId: 1, error: toWire(new AppError('export/too-long', { bytes: 5 })) })
    workers[0]?.say({ type: 'done', jobId: 1, result })
    await expect(failing).rejects.toMatchObject({ code: 'export/too-long' })
    expect(onProgress).toHaveBeenCalledOnce()
  })

  it('ends a job that gives no sign of life, with its worker, and goes on with the next', async () => {
    vi.useFakeTimers()
    try {
      const { pool, workers } = poolOf(1)
      const limit = { ms: 1000, error: () => new AppError('audio/too-slow', { file: 'hangs.mp3' }) }
      const hanging = pool.run<'render'>(job, { limit })
      const behind = pool.run<'render'>(job, { limit })
      vi.advanceTimersByTime(900)
      workers[0]?.say({ type: 'progress', jobId: 1, progress: { doneFrames: 1, totalFrames: 2 } })
      vi.advanceTimersByTime(900)
      expect(workers[0]?.ended).toBe(false)
      vi.advanceTimersByTime(200)
      await expect(hanging).rejects.toMatchObject({ code: 'audio/too-slow' })
      expect(workers[0]?.ended).toBe(true)
      // what comes late from it is nobody's
      workers[0]?.say({ type: 'done', jobId: 1, result })
      workers[1]?.say({ type: 'done', jobId: 2, result })
      await expect(behind).resolves.toBe(result)
    } finally {
      vi.useRealTimers()
    }
  })

  it('counts no time while a job has to wait', async () => {
    vi.useFakeTimers()
    try {
      const { pool, workers } = poolOf(2)
      const limit = { ms: 1000, error: () => new AppError('audio/too-slow', { file: 'waits.mp3' }) }
      void pool.run<'render'>(job, { rank: 2 })
      const resting = pool.run<'render'>(job, { rank: 5, limit })
      pool.limit(1)
      vi.advanceTimersByTime(60_000)
      pool.limit(2)
      vi.advanceTimersByTime(900)
      workers[1]?.say({ type: 'done', jobId: 2, result })
      await expect(resting).resolves.toBe(result)
    } finally {
      vi.useRealTimers()
    }
  })

  it('lets what runs wait where it is when there is less room, the least urgent first, and go on when there is more', () => {
    const { pool, workers } = poolOf(2)
    const said = (n: number) => workers[n]?.got.map(({ type }) => type).filter((type) => type !== 'gentle')
    void pool.run<'render'>(job, { rank: 2 })
    void pool.run<'render'>(job, { rank: 5 })
    void pool.run<'render'>(job, { rank: 6 })
    pool.limit(1)
    expect(said(0)).toEqual(['run'])
    expect(said(1)).toEqual(['run', 'pause'])
    // somebody waits for this one: it begins in a worker of its own
    void pool.run<'render'>(job, { rank: 0 })
    expect(said(2)).toEqual(['run'])
    workers[2]?.say({ type: 'done', jobId: 3, result })
    expect(workers).toHaveLength(3)
    // the first is done: the one that waits goes on before one of a higher rank begins
    workers[0]?.say({ type: 'done', jobId: 1, result })
    expect(said(1)).toEqual(['run', 'pause', 'resume'])
    expect(said(0)).toEqual(['run'])
    pool.limit(2)
    expect([said(0), said(2)].filter((got) => got?.length === 2)).toHaveLength(1)
  })

  it('lets work in the background be gentle while there is less room, and says which work that is', () => {
    const { pool, workers } = poolOf(2)
    void pool.run<'render'>(job, { rank: 2 })
    void pool.run<'render'>(job, { rank: 4 })
    const ran = workers.map(({ got }) => got[0] as Extract<JobMessage, { type: 'run' }>)
    expect(ran.map(({ background }) => background)).toEqual([false, true])
    pool.limit(1)
    pool.limit(1)
    pool.limit(1, 50)
    pool.limit(2, 50)
    for (const { got } of workers)
      expect(got.filter(({ type }) => type === 'gentle')).toEqual([
        { type: 'gentle', restMs: 12 },
        { type: 'gentle', restMs: 50 },
        { type: 'gentle', restMs: 0 },
      ])
  })

  it('lets a waiting job be cancelled', async () => {
    const { pool, workers } = poolOf(1)
    const stop = new AbortController()
    const first = pool.run<'render'>(job, { rank: 2 })
    const second = pool.run<'render'>(job, { rank: 0 })
    const third = pool.run<'render'>(job, { rank: 3, signal: stop.signal })
    pool.limit(1)
    stop.abort()
    await expect(third).rejects.toThrow()
    workers[0]?.say({ type: 'done', jobId: 1, result })
    workers[1]?.say({ type: 'done', jobId: 2, result })
    await Promise.all([first, second])
  })

  it('lets go of a cancelled job at once, whether it waits or runs', async () => {
    const { pool, workers } = poolOf(1)
    const stops = [new AbortController(), new AbortController()]
    const running = pool.run<'render'>(job, { signal: (stops[0] as AbortController).signal })
    const waiting = pool.run<'render'>(job, { signal: (stops[1] as AbortController).signal })
    for (const stop of stops) stop.abort(new Error('enough'))
    await expect(running).rejects.toThrow('enough')
    await expect(waiting).rejects.toThrow('enough')
    expect(workers[0]?.got).toEqual([expect.objectContaining({ type: 'run' }), { type: 'cancel', jobId: 1 }])
    const next = pool.run<'render'>(job)
    expect(workers[0]?.got).toHaveLength(2)
    workers[0]?.say({ type: 'cancelled', jobId: 1 })
    workers[0]?.say({ type: 'done', jobId: 2, result })
    await expect(next).resolves.toBe(result)
  })

  it('lets a job that somebody waits for pass the ones in the background', async () => {
    const { pool, workers } = poolOf(1)
    const background = [pool.run<'render'>(job, { rank: 2 }), pool.run<'render'>(job, { rank: 2 })]
    const urgent = pool.run<'render'>(job, { rank: 0 })
    expect(workers).toHaveLength(2)
    workers[1]?.say({ type: 'done', jobId: 2, result })
    await expect(urgent).resolves.toBe(result)
    expect(workers[1]?.got).toHaveLength(1)
    workers[0]?.say({ type: 'done', jobId: 1, result })
    workers[0]?.say({ type: 'done', jobId: 3, result })
    await Promise.all(background)
  })

  it('runs fewer at once when told to leave room', async () => {
    const { pool, workers } = poolOf(2)
    pool.limit(1)
    const both = [pool.run<'render'>(job), pool.run<'render'>(job)]
    expect(workers).toHaveLength(1)
    pool.limit(2)
    expect(workers).toHaveLength(2)
    workers[0]?.say({ type: 'done', jobId: 1, result })
    workers[1]?.say({ type: 'done', jobId: 2, result })
    await Promise.all(both)
  })

  it('replaces a worker that dies', async () => {
    const { pool, workers } = poolOf(1)
    const lost = pool.run<'render'>(job)
    const next = pool.run<'render'>(job)
    workers[0]?.onerror?.({ message: 'out of memory' })
    await expect(lost).rejects.toThrow('out of memory')
    workers[1]?.say({ type: 'done', jobId: 2, result })
    await expect(next).resolves.toBe(result)
  })
})
