import { beforeEach, describe, expect, it } from 'vitest'
import { createRandom } from '../../core/dsp/random'
import { newSource, PLAIN_TARGET, REFERENCE, sessionSchema } from '../../session'
import { answering, measurementOf, openSession, RATE, store } from '../testing/openSession'
import { answerWith } from '../testing/standInWorker'
import {
  addVariant,
  copyVariant,
  markKin,
  redo,
  removeSource,
  removeVariant,
  resetTarget,
  setTarget,
  transpose,
  undo,
} from './acts'
import {
  dropKin,
  editAttacks,
  rename,
  setFollows,
  setHand,
  setMethod,
  setRange,
  setSeed,
  setSelection,
  setSessionBpm,
  setSessionKey,
  setSetting,
} from './edits'
import { addMark, dropMark, moveMark, setSlot } from './film/slots'
import { hearLane, laneGains } from './hear/listening'
import { listenAround } from './hear/places'
import { setOutlook } from './state/outlook'
import { activeLane, chosenVariant } from './state/store'
import { movePin } from './timing'
import { answerBlind, finishRanking, gradeHidden, hearHidden, startBlind, stopBlind } from './try/blind'
import { showView } from './views'

let count = 0
let source: Awaited<ReturnType<typeof openSession>>
beforeEach(async () => {
  answerWith(answering(() => measurementOf({})))
  source = await openSession(`edit-${++count}`)
})
const state = () => store.getState()
const session = () => state().history.present
const variant = (n = 0) => {
  const found = source().variants[n]
  if (!found) throw new Error('no variant')
  return found
}

describe('edits', () => {
  it('of any sort, in any order, come back by undo and forth by redo, and always leave a session that can be kept', () => {
    const random = createRandom(11)
    const pick = (below: number) => Math.floor(random() * below)
    const edits = [
      () => setTarget(source().id, { stretch: 0.3 + 3 * random() }),
      () => setTarget(source().id, { pitchSemitones: 24 * random() - 12, tied: random() < 0.3 }),
      () => resetTarget(source().id),
      () => setSelection(source().id, { start: pick(3) * RATE, end: (1 + pick(3)) * RATE }),
      () => setSelection(source().id, undefined),
      () => addVariant(source(), ['splice', 'cycle', 'drift'][pick(3)] as string),
      () => source().variants.length > 1 && removeVariant(source(), variant(pick(source().variants.length))),
      () => copyVariant(source(), variant()),
      () => setMethod(source(), variant(), ['grain', 'vocoder'][pick(2)] as string),
      () => setSetting(source(), variant(), 'windowMs', 20 + pick(90)),
      () => setSeed(source(), variant(), pick(99)),
      () => setHand(source().id, { bpm: 60 + pick(90) }),
      () => setRange(source().id, { start: pick(2) * RATE, end: 3 * RATE }),
      () => setRange(source().id, undefined),
      () => editAttacks(source().id, { add: pick(4 * RATE) }),
      () => setSessionBpm(60 + pick(120)),
      () => rename(source().id, `Bell ${pick(99)}`),
    ]
    const states = [session()]
    for (let n = 0; n < 150; n++) {
      ;(edits[pick(edits.length)] as () => void)()
      if (session() !== states.at(-1)) states.push(session())
      expect(sessionSchema.safeParse(session()).success).toBe(true)
    }
    expect(states.length).toBeGreaterThan(80)
    for (let n = states.length - 2; n >= 0; n--) {
      undo()
      expect(session()).toEqual(states[n])
    }
    for (const after of states.slice(1)) {
      redo()
      expect(session()).toEqual(after)
    }
  })

  it('of one gesture are one step', () => {
    for (let n = 1; n <= 5; n++) setTarget(source().id, { stretch: 1 + n / 10 }, 'drag')
    expect(source().target.stretch).toBe(1.5)
    undo()
    expect(source().target.stretch).toBe(1)
  })
})

describe('the target', () => {
  it('keeps pitch and speed together where they are tied, whichever is moved', () => {
    setTarget(source().id, { tied: true })
    setTarget(source().id, { stretch: 2 })
    expect(source().target.pitchSemitones).toBeCloseTo(-12, 9)
    setTarget(source().id, { pitchSemitones: 12 })
    expect(source().target.stretch).toBeCloseTo(0.5, 9)
    resetTarget(source().id)
    expect(source().target).toEqual(PLAIN_TARGET)
  })

  it('follows the tempo and the key of the session, in one step for all that follow', () => {
    setHand(source().id, { bpm: 90, key: { root: 9, mode: 'minor' }, untuned: false })
    setFollows(source().id, { tempo: true, key: true })
    setSessionBpm(120)
    expect(source().target.stretch).toBeCloseTo(0.75, 9)
    setSessionKey({ root: 11 })
    expect(source().target.pitchSemitones).toBe(2)
    setHand(source().id, { bpm: 60 })
    expect(source().target.stretch).toBeCloseTo(0.5, 9)
    undo()
    undo()
    undo()
    expect(source().target).toMatchObject({ stretch: 90 / 96, pitchSemitones: 0 })
  })

  it('is transposed for several sources at once, but not for untuned percussion', () => {
    setHand(source().id, { untuned: true })
    expect(transpose([source().id], 3)).toEqual({ moved: 0, left: ['Tide bell'] })
    expect(source().target.pitchSemitones).toBe(0)
    setHand(source().id, { untuned: false })
    expect(transpose([source().id], 3)).toEqual({ moved: 1, left: [] })
    expect(source().target.pitchSemitones).toBe(3)
  })
})

describe('a selection', () => {
  it('stays inside the sound and is never too short to loop', () => {
    setSelection(source().id, { start: -500, end: 10 ** 9 })
    expect(source().selection).toEqual({ start: 0, end: 4 * RATE })
    setSelection(source().id, { start: RATE, end: RATE })
    expect((source().selection?.end ?? 0) - RATE).toBe(480)
    setSelection(source().id, { start: 4 * RATE, end: 4 * RATE })
    expect(source().selection?.end).toBeLessThanOrEqual(4 * RATE)
  })
  it('is let go when another part of the file is worked with', () => {
    setSelection(source().id, { start: RATE, end: 2 * RATE })
    setRange(source().id, { start: RATE, end: 3 * RATE })
    expect(source().selection).toBeUndefined()
    expect(source().range).toEqual({ start: RATE, end: 3 * RATE })
    setRange(source().id, { start: 0, end: 4 * RATE })
    expect(source().range).toBeUndefined()
  })
  it('around a place holds what comes before it, and half a second at least', () => {
    for (const at of [0, 100, 90_000, 191_000]) {
      const { start, end } = listenAround({ start: at, end: at + 1 }, RATE, 4 * RATE)
      expect(end - start).toBeGreaterThanOrEqual(RATE / 2)
      expect(start).toBeGreaterThanOrEqual(0)
      expect(end).toBeLessThanOrEqual(4 * RATE)
      expect(at).toBeGreaterThanOrEqual(start)
      expect(at).toBeLessThanOrEqual(end)
    }
  })
})

describe('variants', () => {
  it('take the first free letter, stand in order, and are heard when they come', () => {
    removeVariant(source(), variant(1))
    addVariant(source(), 'splice')
    expect(source().variants.map(({ letter }) => letter)).toEqual(['A', 'B', 'C'])
    expect(variant(1).methodId).toBe('splice')
    expect(activeLane(state(), source())).toBe(variant(1).id)
    hearLane(0)
    expect(activeLane(state(), source())).toBe(REFERENCE)
    // settings stay about the variant that was last heard
    expect(chosenVariant(state(), source())?.letter).toBe('B')
  })
  it('keep the settings of each method that was tried, and none that is the default', () => {
    setSetting(source(), variant(), 'windowMs', 30)
    setMethod(source(), variant(), 'grain')
    setSetting(source(), variant(), 'grainMs', 140)
    setMethod(source(), variant(), 'wsola')
    expect(variant().settings).toMatchObject({ wsola: { windowMs: 30 }, grain: { grainMs: 140 } })
    setSetting(source(), variant(), 'windowMs', undefined)
    expect(variant().settings.wsola).toEqual({})
  })
  it('are all at one gain until they have been drawn, and as they are where levels are not matched', () => {
    expect(laneGains(state(), source())).toHaveLength(4)
    setOutlook({ matched: false })
    expect(laneGains(state(), source())).toEqual([1, 1, 1, 1])
  })
})

describe('a source that is removed', () => {
  it('gives its place to a neighbour, and comes back by undo', () => {
    const { id } = source()
    removeSource(id)
    expect(session().sources).toEqual([])
    expect(state().outlook.selectedId).toBeUndefined()
    undo()
    expect(source().id).toBe(id)
  })
})

describe('listening without names', () => {
  const lanes = () =>
    source()
      .variants.slice(0, 2)
      .map(({ id }) => id)

  it('of AB counts what was preferred, whichever place it was in', () => {
    const [first] = lanes()
    startBlind(source(), 'AB', lanes(), 12)
    for (let round = 0; round < 12; round++) {
      const places = state().blind?.places ?? []
      hearHidden(1)
      expect(activeLane(state(), source())).toBe(places[1])
      answerBlind(places[0] === first ? 0 : 1)
    }
    expect(state().blind).toBeUndefined()
    expect(source().blind[0]).toMatchObject({ mode: 'AB', rounds: 12 })
    expect(
      source()
        .blind[0]?.lanes.map(({ score }) => score)
        .sort(),
    ).toEqual([0, 12])
    expect(source().blind[0]?.chance).toBeCloseTo(2 / 4096, 12)
  })

  it('of ABX knows whether X was named right, and X is not always the same', () => {
    startBlind(source(), 'ABX', lanes(), 40)
    const xs = new Set<string | undefined>()
    for (let round = 0; round < 40; round++) {
      const places = state().blind?.places ?? []
      xs.add(places[2])
      // before all three were heard no vote counts
      answerBlind(0)
      expect(state().blind?.answers).toHaveLength(round)
      hearHidden(1)
      hearHidden(2)
      answerBlind(places[2] === places[0] ? 0 : 1)
    }
    expect(xs.size).toBe(2)
    expect(source().blind[0]?.chance).toBeCloseTo(2 ** -40, 12)
  })

  it('of a ranking keeps a grade for each, and a view cannot be left for another with names', () => {
    startBlind(source(), 'rank', [...lanes(), REFERENCE], 1)
    gradeHidden(1, 80)
    expect(state().blind?.grades).toEqual([50, 80, 50])
    hearHidden(1)
    hearHidden(2)
    showView('sweep')
    expect(state().outlook.view).toBe('bench')
    finishRanking()
    expect(
      source()
        .blind[0]?.lanes.map(({ score }) => score)
        .sort(),
    ).toEqual([50, 50, 80])
    startBlind(source(), 'AB', lanes(), 6)
    stopBlind()
    showView('sweep')
    expect(state().outlook.view).toBe('sweep')
    expect(source().blind).toHaveLength(1)
  })
})

describe('kin', () => {
  const other = () => session().sources[1] as typeof source extends () => infer S ? S : never
  beforeEach(() => {
    const facts = { frames: 4 * RATE, sampleRate: RATE, channels: 1, container: 'WAV', peak: 0.5 }
    const [first] = session().sources
    if (!first) throw new Error('no source')
    const sources = [
      { ...first, facts },
      { ...first, id: 'room', name: 'Room', facts },
    ]
    store.setState({ history: { ...state().history, present: { ...session(), sources } } })
    markKin([source().id, 'room'])
  })
  it('have one length, one timing and one part of the file, whichever of them is changed; each change is one step', () => {
    setTarget('room', { stretch: 1.25 })
    expect(source().target.stretch).toBe(1.25)
    movePin(source(), 1, 1.1)
    expect(other().timing).toEqual(source().timing)
    expect(other().timing?.placed).toEqual([{ source: 1, own: 1.1 }])
    setRange('room', { start: RATE, end: 3 * RATE })
    expect(source().range).toEqual({ start: RATE, end: 3 * RATE })
    setHand('room', { key: { root: 2 } })
    expect(source().hand.key).toBeUndefined()
    for (const _ of ['hand', 'range', 'pin', 'stretch']) undo()
    expect(source().target.stretch).toBe(1)
    expect(other()).toMatchObject({ kin: [source().id, 'room'], target: { stretch: 1 } })
    undo()
    expect(other().kin).toBeUndefined()
  })
  it('go their own ways when they are let go, and when one is removed', () => {
    setTarget('room', { stretch: 1.5 })
    dropKin([source().id, 'room'])
    setTarget('room', { stretch: 2 })
    expect([source().target.stretch, other().target.stretch]).toEqual([1.5, 2])
    undo()
    undo()
    removeSource('room')
    expect(source().kin).toBeUndefined()
    undo()
    expect(other().kin).toEqual([source().id, 'room'])
  })
})

describe('a slot of picture', () => {
  const film = {
    ...newSource({ id: 'film', name: 'Clock', file: 'clock.webm', origin: 'file' }),
    facts: {
      ...{ frames: 12 * RATE, sampleRate: RATE, channels: 1, container: 'WebM', peak: 0.5 },
      picture: { seconds: 12, width: 320, height: 180, rate: 25 },
    },
  }
  const marks = () => session().sources[1]?.marks ?? []
  beforeEach(() => {
    const [first] = session().sources
    const facts = { frames: 4 * RATE, sampleRate: RATE, channels: 1, container: 'WAV', peak: 0.5 }
    if (!first) throw new Error('no source')
    store.setState({ history: { ...state().history, present: { ...session(), sources: [{ ...first, facts }, film] } } })
  })
  it('is followed as its marks move, let go by a length by hand, and left when its film goes; each is one step', () => {
    const from = addMark(film, 3.01)
    const to = addMark(film, 9.02)
    // a mark lies on a picture, and a picture is marked once
    expect(marks().map(({ seconds }) => seconds)).toEqual([3, 9])
    expect(addMark(session().sources[1] ?? film, 3.03)).toBe(from)
    setSlot(source(), { film: 'film', from, to, fill: 'even' })
    expect(source().target.stretch).toBe(1.5)
    moveMark(film, to, 7)
    expect(source().target.stretch).toBe(1)
    undo()
    expect(source().target.stretch).toBe(1.5)
    setTarget(source().id, { stretch: 2 })
    expect(source().slot).toMatchObject({ film: 'film', fill: 'free' })
    moveMark(film, to, 8)
    expect(source().target.stretch).toBe(2)
    undo()
    undo()
    expect(source().slot?.fill).toBe('even')
    dropMark(film, to)
    expect(source().slot?.to).toBeUndefined()
    expect(source().target.stretch).toBe(9 / 4)
    removeSource('film')
    expect(source().slot).toBeUndefined()
    undo()
    expect(source().slot).toMatchObject({ film: 'film', from })
  })
})
