import { beforeEach, describe, expect, it } from 'vitest'
import { methodById, methods, rankTrials, type Span } from '../../../core'
import { recipe } from '../../../core/testing/recipes'
import { partKey } from '../../../session'
import { answering, measurementOf, openSession, RATE, soundOf, store, until } from '../../testing/openSession'
import { answerWith, begun, cancelled, holdMeasuring } from '../../testing/standInWorker'
import { addVariant, setTarget, takeTried, undo } from '../acts'
import { setSetting } from '../edits'
import { hearLane, hearTried, leaveTried } from '../hear/listening'
import { syncSpectra } from '../render/spectra'
import { setOutlook } from '../state/outlook'
import { activeLane, chosenVariant } from '../state/store'
import { adviceKey, cancelAdvice, letChoose, seekAdvice } from './advice'
import { exploredKey, exploreSetting, stopExploring } from './explore'
import { rangeOfTrial, tryRecipe } from './trying'

const answer = answering(({ recipe: { methodId, settings } }) =>
  measurementOf({ smear: methodId === 'splice' ? 0.1 : 4, detune: Number(settings.grainMs ?? 0) / 10 }),
)
const jobs = (kind: string) => begun.filter((job) => job.kind === kind)
const state = () => store.getState()

let count = 0
let source: Awaited<ReturnType<typeof openSession>>
beforeEach(async () => {
  answerWith(answer)
  source = await openSession(`try-${++count}`)
  begun.length = 0
})

const options = () => ({ signal: new AbortController().signal, rank: 1 })

describe('trying a recipe', () => {
  it('asks the worker once, however often it is tried', async () => {
    const made = recipe('wsola', { stretch: 1.3, seed: count })
    const first = await tryRecipe(source(), soundOf(4), made, 6, options())
    const again = await tryRecipe(source(), soundOf(4), made, 6, options())
    expect(again).toEqual(first)
    expect(jobs('measure')).toHaveLength(1)
    await tryRecipe(source(), soundOf(4), made, 7, options())
    expect(jobs('measure')).toHaveLength(2)
  })

  it('is not begun once it was stopped', async () => {
    const stop = new AbortController()
    stop.abort()
    const trying = tryRecipe(source(), soundOf(4), recipe('wsola', { seed: 99 + count }), 5, {
      signal: stop.signal,
      rank: 1,
    })
    await expect(trying).rejects.toThrow()
    expect(jobs('measure')).toHaveLength(0)
  })

  it('knows which part of the source it was about', () => {
    const trial = { span: { from: 2 * RATE, to: 4 * RATE }, measurement: measurementOf({}) }
    const about = rangeOfTrial(recipe('splice', { stretch: 2 }), trial, soundOf(4))
    expect(about.range).toEqual({ start: RATE, end: 2 * RATE })
    expect(about.changeLu).toBe(0)
  })
})

describe('advice', () => {
  it('tries every method that can do it, and ties pitch to speed only where that is wanted', async () => {
    setTarget(source().id, { stretch: 1.5 })
    await seekAdvice(source())
    const advice = state().advice[source().id]
    expect(advice?.status).toBe('done')
    expect(advice?.tried).toHaveLength(methods.length - 1)
    expect(advice?.key).toBe(adviceKey(source()))
    setTarget(source().id, { tied: true })
    expect(adviceKey(source())).not.toBe(advice?.key)
    await seekAdvice(source())
    expect(state().advice[source().id]?.tried.map(({ methodId }) => methodId)).toContain('varispeed')
    // nothing is applied by itself
    expect(source().variants).toHaveLength(3)
  })

  it('chooses where it is asked to: the least harm is heard, in its own lane or a new one, once, with the reason told', async () => {
    setTarget(source().id, { stretch: 1.37 })
    await letChoose(source())
    const [best] = rankTrials(state().advice[source().id]?.tried ?? [])
    const heard = () => chosenVariant(state(), source())
    expect(heard()?.methodId).toBe(best?.methodId)
    expect(state().notices.at(-1)?.text).toContain(methodById(best?.methodId ?? '').label)
    const [lanes, measured] = [source().variants.length, jobs('measure').length]
    await letChoose(source())
    expect(source().variants).toHaveLength(lanes)
    expect(jobs('measure')).toHaveLength(measured)
  })

  it('joins methods where the joined result does clearly less harm: in a lane of its own, once', async () => {
    // each of two lanes does well in one half; joined and measured as a whole they are better, or hardly
    const joins = [{ source: 2, methodId: 'vocoder', settings: {}, fade: 0.005 }]
    for (const [smear, isWorth] of [
      [3.6, false],
      [0.01, true],
    ] as const) {
      const inHalf = (span: Span) => (span.from === 0 ? 'splice' : 'vocoder')
      answerWith(
        answering(({ recipe: { joins, methodId }, span }) => {
          if (joins) return measurementOf({ smear })
          if (span) return measurementOf({ smear: methodId === inHalf(span) ? 0.01 : 4 })
          return measurementOf({ smear: methodId === 'splice' ? 3.7 : 4 })
        }),
      )
      setTarget(source().id, { stretch: isWorth ? 1.43 : 1.47 })
      await letChoose(source())
      expect(jobs('contest')).toHaveLength(1)
      const heard = chosenVariant(state(), source())
      expect(heard?.joins).toEqual(isWorth ? joins : undefined)
      expect(heard?.methodId).toBe('splice')
      if (isWorth) expect(state().notices.at(-1)?.text).toMatch(/^Attack splice \+ Locked vocoder, joined: /)
    }
    const lanes = source().variants.length
    hearLane(1)
    await letChoose(source())
    expect(chosenVariant(state(), source())?.joins).toEqual(joins)
    expect(source().variants).toHaveLength(lanes)
    expect(jobs('contest')).toHaveLength(1)
  })

  it('can be stopped, and says so', async () => {
    setTarget(source().id, { stretch: 1.61 })
    const release = holdMeasuring()
    const seeking = seekAdvice(source())
    await until(() => jobs('measure').length > 0, 'the first job')
    cancelAdvice(source().id)
    release()
    await seeking
    expect(state().advice[source().id]?.status).toBe('cancelled')
    expect(cancelled.length).toBeGreaterThan(0)
  })
})

describe('exploring a setting', () => {
  it('tries values over its range with all else as it is, each with a picture', async () => {
    setTarget(source().id, { stretch: 1.4 })
    const variant = source().variants[2]
    if (!variant) throw new Error('no variant')
    expect(variant.methodId).toBe('grain')
    await exploreSetting(source(), variant, 'grainMs', 60)
    const explored = state().explored[variant.id]
    expect(explored?.status).toBe('done')
    expect(explored?.tries.map(({ value }) => value)).toContain(60)
    for (const one of explored?.tries ?? []) {
      expect(one.recipe).toMatchObject({ methodId: 'grain', stretch: 1.4, settings: { grainMs: one.value } })
      expect(one.trial?.measurement.artefacts.find(({ id }) => id === 'detune')?.value).toBe(Number(one.value) / 10)
      expect(one.picture?.columns).toBeGreaterThan(0)
    }
    // the key is of everything else: the setting itself does not make it old, another does
    const key = exploredKey(source(), variant, 'grainMs')
    expect(explored?.key).toBe(key)
    setSetting(source(), variant, 'grainMs', 200)
    expect(exploredKey(source(), source().variants[2] as typeof variant, 'grainMs')).toBe(key)
    setTarget(source().id, { stretch: 1.5 })
    expect(exploredKey(source(), source().variants[2] as typeof variant, 'grainMs')).not.toBe(key)
  })

  it('keeps what it has when it is stopped', async () => {
    setTarget(source().id, { stretch: 1.45 })
    const variant = source().variants[2]
    if (!variant) throw new Error('no variant')
    const release = holdMeasuring()
    const exploring = exploreSetting(source(), variant, 'grainMs', 60)
    await until(() => jobs('measure').length > 0, 'the first job')
    stopExploring(variant.id)
    release()
    await exploring
    expect(state().explored[variant.id]?.status).toBe('cancelled')
    expect(state().explored[variant.id]?.tries.length).toBeGreaterThan(4)
  })
})

describe('what was tried', () => {
  const tried = () => ({
    sourceId: source().id,
    recipe: recipe('cycle', { stretch: 0.7, pitchSemitones: 4 }),
    range: { start: 100, end: 9000 },
    changeLu: 0,
  })

  it('is heard in place of a lane until a lane is asked for', () => {
    hearLane(2)
    const lane = activeLane(state(), source())
    hearTried(tried())
    expect(state().tried?.recipe.methodId).toBe('cycle')
    expect(activeLane(state(), source())).toBe(lane)
    hearLane(1)
    expect(state().tried).toBeUndefined()
    hearTried(tried())
    leaveTried()
    expect(state().tried).toBeUndefined()
  })

  it('comes to the bench as target and variant in one step', () => {
    takeTried(source(), tried().recipe)
    expect(source().target).toMatchObject({ stretch: 0.7, pitchSemitones: 4 })
    expect(source().variants.map(({ methodId }) => methodId)).toEqual(['wsola', 'vocoder', 'grain', 'cycle'])
    undo()
    expect(source().target).toMatchObject({ stretch: 1, pitchSemitones: 0 })
    expect(source().variants).toHaveLength(3)
  })

  it('takes a variant that is there already, and adds none where there is no letter left', () => {
    takeTried(source(), recipe('vocoder', { stretch: 2 }))
    expect(source().variants).toHaveLength(3)
    expect(activeLane(state(), source())).toBe(source().variants[1]?.id)
    for (let n = 0; n < 40; n++) addVariant(source(), 'drift')
    expect(source().variants).toHaveLength(26)
    expect(new Set(source().variants.map(({ letter }) => letter)).size).toBe(26)
    takeTried(source(), tried().recipe)
    expect(source().variants).toHaveLength(26)
    expect(source().target.stretch).toBe(0.7)
  })
})

describe('spectrograms', () => {
  it('are made for every lane while they are shown, of what is in view, and again when the view moves', async () => {
    syncSpectra(state())
    expect(jobs('spectrogram')).toHaveLength(0)
    store.setState(({ analyses }) => ({
      analyses: { ...analyses, [partKey(source())]: { attacks: [], pitch: {}, focus: [] } as never },
    }))
    setTarget(source().id, { stretch: 2 })
    setOutlook({ display: { show: 'spectrogram', frequency: 'log' } })
    syncSpectra(state())
    await until(() => Object.keys(state().spectra).length === 4, 'four pictures')
    const [reference, first] = jobs('spectrogram') as {
      from: number
      to: number
      recipe?: unknown
      fftFrames: number
    }[]
    expect([reference?.from, reference?.to]).toEqual([0, 4 * RATE])
    expect(reference?.recipe).toBeUndefined()
    expect([first?.from, first?.to]).toEqual([0, 8 * RATE])
    syncSpectra(state())
    expect(jobs('spectrogram')).toHaveLength(4)
    // nearer: a shorter window, and only what is seen
    setOutlook({ views: { [source().id]: { start: RATE, span: RATE } } })
    syncSpectra(state())
    await until(() => jobs('spectrogram').length === 8, 'four more')
    const near = jobs('spectrogram')[5] as { from: number; to: number; fftFrames: number }
    expect([near.from, near.to]).toEqual([2 * RATE, 4 * RATE])
    expect(near.fftFrames).toBeLessThan(reference?.fftFrames as number)
  })
})
