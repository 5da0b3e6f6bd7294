import { beforeEach, describe, expect, it } from 'vitest'
import { openTempo } from '../../../core'
import { createRandom } from '../../../core/dsp/random'
import { readSession, tempoLineOf } from '../../../session'
import { answering, measurementOf, openSession, RATE, store } from '../../testing/openSession'
import { answerWith } from '../../testing/standInWorker'
import { redo, removeSource, undo } from '../acts'
import { setHand } from '../edits'
import { setOutlook } from '../state/outlook'
import {
  choose,
  copyChosen,
  extentOf,
  followPart,
  laidOf,
  layAt,
  lockTo,
  nudge,
  offsetAt,
  removeChosen,
  snapped,
  splitHere,
  switchVariant,
  takeTempoOf,
} from './acts'
import * as edits from './edits'
import { timelineOf } from './mixing'

let count = 0
let sourceId = ''
beforeEach(async () => {
  answerWith(answering(() => measurementOf({})))
  sourceId = `laid-${++count}`
  await openSession(sourceId)
  setHand(sourceId, { bpm: 120, firstBeat: 0 })
})
const state = () => store.getState()
const session = () => state().history.present
const lay = (beat: number) => layAt(sourceId, beat) as string
const part = (id: string) => {
  const found = session().parts.find((own) => own.id === id)
  if (!found) throw new Error('no part')
  return found
}
const extent = (id: string) => {
  const laid = laidOf(state(), id)
  if (!laid) throw new Error('not laid')
  return extentOf(state(), laid)
}

describe('parts', () => {
  it('are laid where there is room, on a row of their source, and are chosen then', () => {
    const first = lay(0)
    const second = lay(4)
    const third = lay(8)
    expect(session().rows).toHaveLength(2)
    // four seconds at 120 BPM are eight beats: the second lies over the first, the third behind it
    expect([part(first).row === part(second).row, part(first).row === part(third).row]).toEqual([false, true])
    expect(state().outlook.parts).toEqual([third])
    expect(extent(third)).toEqual({ from: 8, to: 16 + (120 / 96 - 1) * 0 })
  })
  it('fall in two where the playhead is, and sound as before', () => {
    const id = lay(0)
    edits.setPart([id], 'Repeat', { repeat: true, beats: 20 })
    setOutlook({ beat: 11 })
    splitHere()
    const [second] = state().outlook.parts as [string]
    expect(part(id)).toMatchObject({ startBeat: 0, beats: 11 })
    expect(part(second)).toMatchObject({ startBeat: 11, beats: 9, offset: 11 })
    const laid = laidOf(state(), second)
    // eleven beats into rounds of eight: its source is at beat three
    expect(laid?.laps[0]?.map.sourceAt(0 as never)).toBeCloseTo(3 * 0.5 * RATE, 0)
  })
  it('are nudged together, never before the first beat; copied behind themselves; taken away', () => {
    const [a, b] = [lay(2), lay(20)]
    choose([a, b])
    nudge(-5)
    expect([part(a).startBeat, part(b).startBeat]).toEqual([0, 18])
    copyChosen()
    expect(state().outlook.parts).toHaveLength(2)
    const copies = state().outlook.parts.map((id) => part(id).startBeat)
    expect(copies).toEqual([26, 44])
    removeChosen()
    expect(session().parts).toHaveLength(2)
    switchVariant(1)
    choose([a])
    switchVariant(1)
    expect(part(a).variant).toBe(session().sources[0]?.variants[1]?.id)
  })
  it('go with their source, and come back with it', () => {
    lay(0)
    removeSource(sourceId)
    expect(session().parts).toHaveLength(0)
    undo()
    expect(session().parts).toHaveLength(1)
  })
  it('snap to bars of any metre, to beats, or not', () => {
    edits.setRow('none', 'Nothing', {})
    setOutlook({ snap: 'bar' })
    expect([snapped(state(), 5), snapped(state(), 6.5), snapped(state(), 6.5, true)]).toEqual([4, 8, 6.5])
    setOutlook({ snap: 'quarter' })
    expect(snapped(state(), 3.3)).toBe(3.25)
  })
  it('that are locked to seconds are split at their own stretch', () => {
    const id = lay(0)
    edits.setPart([id], 'Lock', { lock: 'seconds', stretch: 2 })
    const laid = laidOf(state(), id)
    expect(laid && offsetAt(state(), laid, 96 / 60)).toBeCloseTo(0.5, 9)
  })
  it('keep what was cut off their beginning when they hold on to something else', () => {
    setHand(sourceId, { bpm: 120, firstBeat: 0.05 })
    const whole = lay(0)
    const cut = lay(8)
    edits.trimStart(cut, 10, 3, 2)
    const startOf = (id: string) => laidOf(state(), id)?.laps[0]?.map.sourceAt(0 as never)
    lockTo([whole, cut], 'seconds')
    expect(part(cut)).toMatchObject({ lock: 'seconds', startBeat: 10, beats: 3 })
    expect(startOf(cut)).toBeCloseTo((0.05 + 2 * 0.5) * RATE, 0)
    expect(startOf(whole)).toBeCloseTo(0.05 * RATE, 0)
    const steps = state().history.past.length
    lockTo([whole, cut], 'bars')
    expect(state().history.past.length).toBe(steps + 1)
    expect([part(whole).offset, part(cut).offset]).toEqual([0, 2])
    // what begins between two beats begins with the nearer one, and what is locked already is let be
    lockTo([cut], 'seconds')
    edits.setPart([cut], 'Trim', { offset: 0.05 + 2.4 * 0.5 })
    lockTo([cut], 'bars')
    edits.setPart([cut], 'Trim', { offset: 2.4 })
    lockTo([cut], 'bars')
    expect(part(cut).offset).toBe(2.4)
  })
})

describe('the tempo', () => {
  it('of a performance is taken over by the line, and a loop follows it', () => {
    setHand(sourceId, { beats: [0, 0.6, 1.1, 1.8, 2.4, 2.9, 3.6] })
    const played = lay(4)
    takeTempoOf(played)
    const { secondsAt } = openTempo(tempoLineOf(session()))
    expect(secondsAt(7) - secondsAt(4)).toBeCloseTo(1.8, 9)
    expect(secondsAt(4)).toBeCloseTo((4 * 60) / 96, 9)
    // at half its tempo, from its second beat on, and locked to seconds: it still plays as it was recorded
    edits.setPart([played], 'Feel', { lock: 'seconds', feel: 0.5, offset: 0.6 })
    takeTempoOf(played)
    const laid = laidOf(state(), played)
    for (const second of [0, 0.5, 2])
      expect((laid?.laps[0]?.map.sourceAt((second * RATE) as never) ?? 0) / RATE).toBeCloseTo(second + 0.6, 6)
    edits.setPart([played], 'Feel', { feel: 1, offset: 0 })
    const loop = lay(30)
    const steps = state().history.past.length
    followPart(loop, played)
    expect(state().history.past.length).toBe(steps + 1)
    expect(part(loop)).toMatchObject({ repeat: true, startBeat: 4, lock: 'bars' })
  })
  it('is drawn, limited, ramped and flattened, and what lies behind a drawing stays', () => {
    edits.setTempoAt(0, 100)
    edits.rampTempoTo(8, 16, 140, 'linear')
    edits.drawTempoLine([
      { beat: 20, bpm: 120 },
      { beat: 22, bpm: 90 },
      { beat: 24, bpm: 100 },
    ])
    const { bpmAt } = openTempo(tempoLineOf(session()))
    expect([0, 12, 18, 22].map(bpmAt)).toEqual([100, 120, 140, 90])
    edits.limitTempoTo(95, 125)
    const limited = openTempo(tempoLineOf(session()))
    for (let beat = 0; beat < 30; beat += 0.5) {
      expect(limited.bpmAt(beat)).toBeGreaterThanOrEqual(95 - 1e-6)
      expect(limited.bpmAt(beat)).toBeLessThanOrEqual(125 + 1e-6)
    }
    edits.flattenTempoLine()
    expect(session().tempoLine).toHaveLength(1)
  })
})

describe('edits of the timeline', () => {
  it('of any sort, in any order, come back by undo and forth by redo, and always leave a session that can be kept', () => {
    const random = createRandom(17)
    const pick = <One>(list: readonly One[]): One | undefined => list[Math.floor(random() * list.length)]
    const any = () => pick(session().parts)?.id ?? 'none'
    const all = [
      () => void lay(Math.floor(40 * random())),
      () => edits.placeParts(new Map([[any(), { startBeat: 60 * random() - 10 }]])),
      () =>
        edits.setPart([any()], 'Level', { gainDb: -20 * random(), lock: pick(['bars', 'seconds'] as const) ?? 'bars' }),
      () => edits.setLength(any(), 30 * random() - 2),
      () => edits.trimStart(any(), 10 * random() - 3, 8 * random() - 1, 4 * random() - 2),
      () => edits.splitPart(any(), 4, 8, 1),
      () => void edits.copyParts([any()], 4),
      () => edits.removeParts([any()]),
      () => edits.setTempoAt(20 * random(), 40 + 200 * random()),
      () => edits.addTempoPoint(50 * random()),
      () => edits.moveTempoPoint(Math.floor(3 * random()), { beat: 60 * random() - 5, bpm: 2000 * random() - 100 }),
      () => edits.removeTempoPoint(Math.floor(4 * random())),
      () => edits.setTempoCurve(Math.floor(3 * random()), pick(['step', 'linear', 'log'] as const) ?? 'step'),
      () => edits.shiftTempo(40 * random() - 20, { from: 4, to: 12 }),
      () => edits.multiplyTempoLine(60 + 80 * random()),
      () => edits.limitTempoTo(80, 130),
      () => edits.smoothTempoLine(2),
      () => edits.rampTempoTo(8, 16, 60 + 80 * random(), 'log'),
      () => void edits.addSection(1 + Math.floor(9 * random()), 4),
      () => edits.setSection(pick(session().sections)?.id ?? '', 'Section', { bpm: random() < 0.5 ? undefined : 90 }),
      () => edits.removeSection(pick(session().sections)?.id ?? ''),
      () => edits.setClickLevel(-12 * random()),
    ]
    for (let n = 0; n < 250; n++) {
      all[Math.floor(random() * all.length)]?.()
      const now = session()
      expect(readSession(structuredClone(now)), `step ${n}`).toEqual({ kind: 'read', session: now, mended: [] })
      // whatever lies there can be laid
      expect(Number.isFinite(timelineOf(state()).laid.frames)).toBe(true)
    }
    const end = session()
    const steps = state().history.past.length
    for (let n = 0; n < steps; n++) undo()
    expect(session().parts).toEqual([])
    for (let n = 0; n < steps; n++) redo()
    expect(session()).toEqual(end)
  })
})
