import { beforeEach, describe, expect, it } from 'vitest'
import { SWEEP_POINTS } from '../../../core'
import type { Outlook } from '../../../session'
import { answering, measurementOf, openSession, store, until } from '../../testing/openSession'
import { answerWith, begun, cancelled, holdMeasuring } from '../../testing/standInWorker'
import { setTarget } from '../acts'
import { setOutlook } from '../state/outlook'
import { rangeMeasured, startSweep, stopSweep, sweepOf, syncSweeps } from './sweeps'

const choose = (part: Partial<Outlook['sweep']>) => setOutlook(({ sweep }) => ({ sweep: { ...sweep, ...part } }))
const measured = () => begun.filter(({ kind }) => kind === 'measure')

/** Harm that grows with the stretch, sooner for the cloud. */
const growing = answering(({ recipe }) => {
  const octaves = Math.abs(Math.log2(recipe.stretch)) + Math.abs(recipe.pitchSemitones) / 12
  return measurementOf({ smear: (recipe.methodId === 'grain' ? 6 : 2) * octaves })
})

let count = 0
let source: Awaited<ReturnType<typeof openSession>>
beforeEach(async () => {
  answerWith(growing)
  stopSweep()
  source = await openSession(`sweep-${++count}`)
  begun.length = 0
})

const sweep = () => sweepOf(store.getState(), source())
const seen = (axis: string) => (sweep()?.points ?? []).filter((point) => point.axis === axis)

describe('a sweep', () => {
  it('measures every place of its axis by every method that was chosen, and no other', async () => {
    choose({ axis: 'length', methodIds: ['splice', 'grain'] })
    await startSweep(source())
    expect(seen('length')).toHaveLength(2 * SWEEP_POINTS.length.length)
    expect(new Set(seen('length').map(({ methodId }) => methodId))).toEqual(new Set(['splice', 'grain']))
    expect(new Set(seen('length').map(({ at }) => at))).toEqual(new Set(SWEEP_POINTS.length))
    expect(sweep()?.running).toBeUndefined()
    expect(store.getState().outlook.sweep.running).toBeUndefined()
  })

  it('tells how far it is, and stays where it is stopped', async () => {
    choose({ axis: 'pitch', methodIds: ['splice'] })
    const release = holdMeasuring()
    const going = startSweep(source())
    await until(() => measured().length > 0, 'the first job')
    expect(sweep()?.running).toEqual({ axis: 'pitch', done: 0, total: SWEEP_POINTS.pitch.length })
    expect(store.getState().outlook.sweep.running).toBe(source().id)
    stopSweep()
    release()
    await going
    expect(sweep()?.running).toBeUndefined()
    expect(sweep()?.error).toBeUndefined()
    expect(cancelled.length).toBeGreaterThan(0)
    expect(store.getState().outlook.sweep.running).toBeUndefined()
  })

  it('goes on from what was measured before, in this visit or an earlier one', async () => {
    choose({ axis: 'pitch', methodIds: ['splice'] })
    await startSweep(source())
    const first = measured().length
    expect(first).toBe(SWEEP_POINTS.pitch.length)
    choose({ methodIds: ['splice', 'grain'] })
    await startSweep(source())
    expect(measured().length).toBe(2 * first)
    // a reload: nothing is in memory, everything is in the browser's storage
    store.setState({ sweeps: {} })
    await startSweep(source())
    expect(measured().length).toBe(2 * first)
    expect(seen('pitch')).toHaveLength(2 * first)
  })

  it('is there again when its source is, and goes on by itself when it had not ended', async () => {
    choose({ axis: 'far', methodIds: ['drift'] })
    // as it is found at the start of a visit
    choose({ running: source().id })
    syncSweeps(store.getState())
    // 16 × of other methods is there as well: it was measured as a length
    const drifts = () => seen('far').filter(({ methodId }) => methodId === 'drift')
    await until(() => drifts().length === SWEEP_POINTS.far.length, 'all places')
    await until(() => sweep()?.running === undefined, 'the end')
  })

  it('keeps what it has when a job fails, and says what went wrong', async () => {
    answerWith((job) => {
      if (job.kind === 'measure' && job.recipe.stretch === 12) return new Error('out of breath')
      return growing(job)
    })
    choose({ axis: 'length', methodIds: ['wsola'] })
    await startSweep(source())
    expect(sweep()?.error).toBeInstanceOf(Error)
    expect(sweep()?.running).toBeUndefined()
    answerWith(growing)
    await startSweep(source())
    expect(seen('length')).toHaveLength(SWEEP_POINTS.length.length)
    expect(sweep()?.error).toBeUndefined()
  })

  it('is another one for other formants, and the same for another length', async () => {
    choose({ axis: 'far', methodIds: ['drift'] })
    await startSweep(source())
    expect(seen('far')).toHaveLength(SWEEP_POINTS.far.length)
    setTarget(source().id, { stretch: 1.7, pitchSemitones: 3 })
    expect(seen('far')).toHaveLength(SWEEP_POINTS.far.length)
    setTarget(source().id, { formants: 'keep' })
    expect(sweep()).toBeUndefined()
  })
})

describe('the measured range of a source', () => {
  it('comes of the best method of a finished sweep, and is nothing before', async () => {
    choose({ axis: 'length', methodIds: ['grain'] })
    expect(rangeMeasured(store.getState(), source())).toEqual({})
    await startSweep(source())
    const narrow = rangeMeasured(store.getState(), source()).natural as readonly [number, number]
    choose({ methodIds: ['grain', 'splice'] })
    await startSweep(source())
    const wide = rangeMeasured(store.getState(), source()).natural as readonly [number, number]
    expect(wide[0]).toBeLessThan(narrow[0])
    expect(wide[1]).toBeGreaterThan(narrow[1])
    // 3 dB of smear is clear: two octaves at 6 dB each are reached at half an octave, at 2 dB each at one and a half
    expect(Math.log2(narrow[1])).toBeCloseTo(0.5, 1)
    expect(Math.log2(wide[1])).toBeCloseTo(1.5, 1)
  })
})
