import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Job } from '../../../engine/jobProtocol'
import { answering, measurementOf, openSession, RATE, store, until } from '../../testing/openSession'
import { type Answer, answerWith, begun, cancelled } from '../../testing/standInWorker'
import { addVariant, setTarget } from '../acts'
import { hearLane } from '../hear/listening'
import { setOutlook } from '../state/outlook'
import { chosenVariant } from '../state/store'

const saved = vi.hoisted(() => [] as { name: string; size: number }[])
vi.mock('../../common/saveFile', () => ({
  saveFile: (blob: Blob, name: string) => saved.push({ name, size: blob.size }),
}))
const { cancelExport, exportAll, exportHeard, exportVariant } = await import('./quick')

const PIECES = [
  { from: 0, to: RATE },
  { from: RATE, to: 5 * RATE },
]
const answer = answering(() => measurementOf({}))
const plan = { pieces: PIECES, header: new Uint8Array(44), footer: new Uint8Array(8), frameBytes: 2, bytes: 999 }
/** A worker's answers: a plan of two pieces, and pieces of ten bytes each. */
const writing =
  (facts = { clippedSamples: 0, peak: 0.5 }): Answer =>
  (job) => {
    if (job.kind === 'planExport') return { ...plan, analysis: {} } as never
    if (job.kind === 'exportPiece') return { blob: new Blob(['0123456789']), facts } as never
    return answer(job)
  }

const jobs = <K extends Job['kind']>(kind: K) =>
  begun.filter((job): job is Extract<Job, { kind: K }> => job.kind === kind)
const state = () => store.getState()
const ahead = () => state().queue.filter(({ status }) => status === 'waiting' || status === 'running')
const said = () => state().notices.map(({ text }) => text)

let count = 0
let source: Awaited<ReturnType<typeof openSession>>
beforeEach(async () => {
  answerWith(writing())
  saved.length = 0
  source = await openSession(`export-${++count}`)
  begun.length = 0
})
const variant = () => {
  const chosen = chosenVariant(state(), source())
  if (!chosen) throw new Error('no variant')
  return chosen
}

describe('a variant goes out as a file', () => {
  it('by its recipe, as deep as the source and at its rate, piece by piece in order', async () => {
    setTarget(source().id, { stretch: 1.25, pitchSemitones: 2 })
    await exportVariant(source(), variant())
    const [{ order } = { order: undefined }] = jobs('planExport')
    expect(order).toMatchObject({ format: '24', rate: undefined, recipe: { stretch: 1.25, pitchSemitones: 2 } })
    expect(jobs('exportPiece').map(({ piece }) => piece)).toEqual([0, 1])
    for (const job of jobs('exportPiece')) expect(job.order).toEqual(order)
    expect(saved).toEqual([{ name: expect.stringMatching(/^Tide-bell_x1\.25_\+2st_.*\.wav$/), size: 44 + 20 + 8 }])
    expect(ahead()).toEqual([])
  })

  it('at another depth and rate where they are chosen, and says how long it has become at that rate', async () => {
    setOutlook({ format: '32f', rate: '96000' })
    await exportVariant(source(), variant())
    expect(jobs('planExport')[0]?.order).toMatchObject({ format: '32f', rate: 96_000 })
    expect(said().at(-1)).toContain('2.500 s')
  })

  it('and is told where samples were over full scale', async () => {
    answerWith(writing({ clippedSamples: 3, peak: 1.2 }))
    await exportVariant(source(), variant())
    expect(said().at(-1)).toMatch(/^Tide-bell.*: 6 samples were over full scale/)
  })

  it('once, however often it is asked for meanwhile; all lanes as a file each', async () => {
    addVariant(source(), 'grain')
    exportAll(source())
    exportAll(source())
    await until(() => saved.length >= source().variants.length, 'the files')
    expect(saved).toHaveLength(source().variants.length)
    expect(new Set(saved.map(({ name }) => name)).size).toBe(source().variants.length)
  })

  it('when it is heard, and not while names are hidden', async () => {
    hearLane(2)
    exportHeard()
    await until(() => saved.length === 1, 'the file')
    expect(jobs('planExport')[0]?.order.recipe.methodId).toBe(source().variants[1]?.methodId)
    store.setState({ blind: { sourceId: source().id } as never })
    exportHeard()
    expect(jobs('planExport')).toHaveLength(1)
  })

  it('not at all once it is cancelled, and without a word of trouble', async () => {
    answerWith((job) => (job.kind === 'exportPiece' ? new Promise(() => {}) : (writing()(job) as never)))
    const done = exportVariant(source(), variant())
    await until(() => jobs('exportPiece').length > 0, 'a piece')
    cancelExport(source(), variant())
    await done
    expect(saved).toEqual([])
    expect(cancelled.map(({ kind }) => kind)).toContain('exportPiece')
    expect(state().notices.filter(({ tone }) => tone === 'trouble')).toEqual([])
    expect(ahead()).toEqual([])
  })

  it('not, and says why, where a piece fails', async () => {
    answerWith((job) => (job.kind === 'exportPiece' ? new Error('no room') : (writing()(job) as never)))
    await exportVariant(source(), variant())
    expect(saved).toEqual([])
    expect(state().notices.at(-1)?.tone).toBe('trouble')
  })
})
