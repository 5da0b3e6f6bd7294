import { beforeEach, describe, expect, it } from 'vitest'
import { checkedForWriting, KEYS_ID, padInstrument, pickSpan } from '../../../session'
import { drawnOver } from '../../play/filterCurve'
import { letterKey } from '../../play/letters'
import { answering, measurementOf, openSession, RATE, store } from '../../testing/openSession'
import { answerWith } from '../../testing/standInWorker'
import { removeSource, removeVariant, setTarget, undo } from '../acts'
import { addPick, movePick, putOverKeys, removePick, setFilter, setKeys, setPick, setPrepare } from './picks'
import { changeTake, playTakeBy, quantiseTake, removeTake } from './takes'

const session = () => store.getState().history.present
const source = () => session().sources[0] as ReturnType<typeof session>['sources'][number]
const pick = () => session().picks[0] as ReturnType<typeof session>['picks'][number]

let count = 0
beforeEach(async () => {
  answerWith(answering(() => measurementOf({})))
  await openSession(`play-${++count}`)
  const state = store.getState()
  const facts = { frames: 4 * RATE, sampleRate: RATE, channels: 1, container: 'WAV', peak: 0.3 }
  const [first] = session().sources
  if (first)
    store.setState({ history: { ...state.history, present: { ...session(), sources: [{ ...first, facts }] } } })
})

describe('picks', () => {
  it('lie in the source, wherever its stretch puts them, and are changed and taken back by one step each', () => {
    addPick(source(), 0.2, 0.5, 'Hum')
    expect(pickSpan(source(), pick())).toEqual({ from: 0.2, to: 0.5 })
    const variant = source().variants[0]
    setPick(pick().id, { variant: variant?.id as string })
    setTarget(source().id, { stretch: 10 })
    const span = pickSpan(source(), pick())
    expect(span?.from).toBeCloseTo(2, 6)
    expect(span?.to).toBeCloseTo(5, 6)
    // one that would run backwards stays as it is
    setPick(pick().id, { to: 0.1 })
    expect(pick().to).toBe(0.5)
    setPick(pick().id, { group: 'low' })
    setPick(pick().id, { group: '' })
    expect(pick().group).toBeUndefined()
    addPick(source(), 0.6, 0.7, 'Other')
    movePick(pick().id, 1)
    expect(session().picks.map(({ name }) => name)).toEqual(['Other', 'Hum'])
    removePick(pick().id)
    expect(session().picks.map(({ name }) => name)).toEqual(['Hum'])
    undo()
    expect(session().picks).toHaveLength(2)
  })

  it('go with their source, and play the source itself when their variant is gone; what is written holds', () => {
    addPick(source(), 0.2, 0.5)
    const variant = source().variants[0]
    if (!variant) throw new Error('no variant')
    setPick(pick().id, { variant: variant.id })
    putOverKeys({ source: source().id, variant: variant.id })
    removeVariant(source(), variant)
    expect(pick().variant).toBeUndefined()
    expect(session().keys?.variant).toBeUndefined()
    expect(checkedForWriting(session()).mended).toEqual([])
    removeSource(source().id)
    expect(session().picks).toEqual([])
    expect(session().keys).toBeUndefined()
    expect(checkedForWriting(session()).mended).toEqual([])
    undo()
    undo()
    expect(pick().variant).toBe(variant.id)
    expect(session().keys?.variant).toBe(variant.id)
  })

  it('are instruments that a pad strikes at its own pitch', () => {
    addPick(source(), 0.2, 0.5)
    setPick(pick().id, { semitones: 7, reverse: true, play: 'loop' })
    expect(padInstrument(source(), pick())).toMatchObject({
      root: 53,
      only: 60,
      reverse: true,
      play: 'loop',
      from: 0.2,
    })
  })
})

describe('what lies over the keys, and what shapes a source', () => {
  it('keeps how it is played when another sound is laid there', () => {
    putOverKeys({ source: source().id })
    setKeys({ voices: 3, root: 50.5 })
    putOverKeys({ source: source().id, variant: source().variants[0]?.id })
    expect(session().keys).toMatchObject({ voices: 3, variant: source().variants[0]?.id })
    // a root that was said belongs to what it was said of
    expect(session().keys?.root).toBeUndefined()
  })

  it('is one step each, and goes into every recipe', () => {
    setPrepare(source(), { attacksDb: -60 })
    setFilter(source(), { points: [{ hz: 500, db: -6 }], at: 'after' })
    expect(source().prepare).toMatchObject({ attacksDb: -60, sinesDb: 0 })
    undo()
    expect(source().filter).toBeUndefined()
    undo()
    expect(source().prepare).toBeUndefined()
  })
})

describe('takes', () => {
  const take = () => session().takes[0] as ReturnType<typeof session>['takes'][number]
  beforeEach(() => {
    const own = {
      id: 't',
      name: 'First',
      rate: 48_000,
      length: 60_000,
      notes: [
        { key: 60, velocity: 1, on: 128, off: 9000 },
        { key: 64, velocity: 1, on: 24_128 + 900, off: 30_000 },
        { key: 67, velocity: 1, on: 36_128 - 700 },
      ],
      hands: [],
    }
    const state = store.getState()
    store.setState({ history: { ...state.history, present: { ...session(), takes: [own] } } })
  })

  it('are brought to a tempo, counted from their first note, each as long as it was', () => {
    quantiseTake('t', 120, 4)
    expect(take().notes.map(({ on }) => on)).toEqual([128, 24_128, 36_128])
    expect(take().notes[1]?.off).toBe(30_000 - 900)
    quantiseTake('t', 120, 4)
    expect(take().notes.map(({ on }) => on)).toEqual([128, 24_128, 36_128])
    undo()
  })

  it('are played by another pick, or by the keys', () => {
    addPick(source(), 0.2, 0.5)
    playTakeBy('t', pick().id)
    expect(new Set(take().notes.map((note) => note.pick))).toEqual(new Set([pick().id]))
    putOverKeys({ source: source().id })
    playTakeBy('t', undefined)
    expect(take().notes.every((note) => note.pick === undefined)).toBe(true)
    expect(take().keys?.source).toBe(source().id)
    changeTake('t', 'name a take', (own) => {
      own.name = 'Second'
    })
    expect(take().name).toBe('Second')
    removeTake('t')
    expect(session().takes).toEqual([])
    expect(KEYS_ID).toBe('keys')
  })
})

describe('drawing and letters', () => {
  it('draws a stroke over a curve and leaves what lies outside, points rising', () => {
    const before = [
      { hz: 50, db: -12 },
      { hz: 8000, db: 6 },
    ]
    const drawn = drawnOver(before, { hz: 900, db: -20 }, { hz: 400, db: -30 })
    expect(drawn.every(({ hz }, n) => n === 0 || hz > (drawn[n - 1]?.hz as number))).toBe(true)
    expect(drawn[0]).toEqual({ hz: 50, db: -12 })
    expect(drawn.at(-1)).toEqual({ hz: 8000, db: 6 })
    for (const { hz, db } of drawn.filter((point) => point.hz >= 400 && point.hz <= 900)) {
      expect(db).toBeGreaterThanOrEqual(-30)
      expect(db, String(hz)).toBeLessThanOrEqual(-20)
    }
  })

  it('has a semitone from letter to letter along a row, a fourth from row to row', () => {
    expect(letterKey('KeyX')).toBe((letterKey('KeyZ') as number) + 1)
    expect(letterKey('KeyA')).toBe((letterKey('KeyZ') as number) + 5)
    expect(letterKey('KeyQ')).toBe((letterKey('KeyA') as number) + 5)
    expect(letterKey('Digit1')).toBeUndefined()
  })
})
