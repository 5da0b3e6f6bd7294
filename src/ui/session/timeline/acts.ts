import { asOutput, type LaidPart, type OwnBeats, ownPassage, type TempoLine, tempoOfBeats } from '../../../core'
import { ownBeatsOf, partFacts, type Source, type TimelinePart } from '../../../session'
import { playback } from '../hear/listening'
import { notify } from '../state/notices'
import { setOutlook } from '../state/outlook'
import { type State, selectedSource, store } from '../state/store'
import { copyParts, layPart, type OnRow, placeParts, removeParts, setPart, splitPart, takeTempo } from './edits'
import { timelineOf } from './mixing'

/** What a person does on the timeline that takes knowing where things lie. */

const { getState } = store

/** Beats between two places that parts snap to; 0 where they lie free. Bars have their own, which may change. */
export const snapBeats = (snap: State['outlook']['snap']) =>
  ({ bar: 1, beat: 1, half: 0.5, quarter: 0.25, free: 0 })[snap]

/** The nearest place that a beat snaps to. */
export function snapped(state: State, beat: number, free = false): number {
  const { snap } = state.outlook
  if (free || snap === 'free') return Math.max(0, beat)
  if (snap === 'bar') {
    const { metre } = timelineOf(state)
    const { bar, beat: into, beatsPerBar } = metre.barAt(Math.max(0, beat))
    return metre.beatOfBar(into > beatsPerBar / 2 ? bar + 1 : bar)
  }
  const step = snapBeats(snap)
  return Math.max(0, Math.round(beat / step) * step)
}

/** The beat that the ear, or the playhead, is at. */
export const hereOf = (state: State) => (state.mixPlaying ? playback.beat() : state.outlook.beat)

export const chosenParts = (state: State): TimelinePart[] =>
  state.history.present.parts.filter(({ id }) => state.outlook.parts.includes(id))

export const choose = (ids: readonly string[]) => setOutlook({ parts: [...ids] })

export const laidOf = (state: State, id: string): LaidPart | undefined =>
  timelineOf(state).laid.parts.find(({ part }) => part.id === id)

/** Where a laid part begins and ends, beats of the timeline. */
export function extentOf(state: State, laid: LaidPart): { readonly from: number; readonly to: number } {
  const { tempo, rate } = timelineOf(state)
  const { part } = laid
  const to = part.beats === undefined ? tempo.beatAt(laid.to / rate) : part.startBeat + part.beats
  return { from: part.startBeat, to }
}

/** A row on which nothing lies between two beats, or a new one with the source's name. */
function freeRow(state: State, source: Source, from: number, to: number): OnRow {
  const { rows, parts } = state.history.present
  const own = rows.filter(({ id }) => parts.some((part) => part.row === id && part.source === source.id))
  const isFree = (row: string) =>
    !timelineOf(state).laid.parts.some((laid) => {
      const lies = state.history.present.parts.find(({ id }) => id === laid.part.id)
      if (lies?.row !== row) return false
      const extent = extentOf(state, laid)
      return extent.from < to - 1e-6 && extent.to > from + 1e-6
    })
  const row = own.find(({ id }) => isFree(id)) ?? rows.find(({ id }) => !parts.some((part) => part.row === id))
  return row ? { row: row.id } : { newRow: source.name }
}

/** Beats that a source takes by itself on a tempo; what has none is locked to seconds. */
function naturalPart(state: State, source: Source): Partial<TimelinePart> {
  return ownBeatsOf(source, state.knowledge[source.id]) ? { lock: 'bars' } : { lock: 'seconds' }
}

/** Lay a source at a beat, on a row or where there is room; it is chosen then. */
export function layAt(sourceId: string, beat: number, at?: OnRow, lock?: TimelinePart['lock']): string | undefined {
  const state = getState()
  const source = state.history.present.sources.find(({ id }) => id === sourceId)
  if (!source) return undefined
  const own = naturalPart(state, source)
  const guess = (source.facts ? source.facts.frames / source.facts.sampleRate : 4) * 2
  const id = layPart(source.id, at ?? freeRow(state, source, beat, beat + guess), {
    ...own,
    ...(lock && { lock }),
    startBeat: beat,
  })
  choose([id])
  return id
}

/** Lay the source that is selected on the shelf where the playhead is. */
export function layHere() {
  const state = getState()
  const source = selectedSource(state)
  if (source) layAt(source.id, snapped(state, hereOf(state)))
}

/** Move the chosen parts by so many beats, all alike. */
export function nudge(byBeats: number, gesture?: string) {
  const state = getState()
  const parts = chosenParts(state)
  if (parts.length === 0) return
  const by = Math.max(byBeats, -Math.min(...parts.map(({ startBeat }) => startBeat)))
  placeParts(new Map(parts.map(({ id, startBeat }) => [id, { startBeat: startBeat + by }])), gesture)
}

/** Copy the chosen parts behind themselves; the copies are chosen then. */
export function copyChosen() {
  const state = getState()
  const parts = chosenParts(state)
  const extents = parts.flatMap(({ id }) => {
    const laid = laidOf(state, id)
    return laid ? [extentOf(state, laid)] : []
  })
  if (extents.length === 0) return
  const from = Math.min(...extents.map((extent) => extent.from))
  const to = Math.max(...extents.map((extent) => extent.to))
  choose(
    copyParts(
      parts.map(({ id }) => id),
      to - from,
    ),
  )
}

export function removeChosen() {
  const ids = chosenParts(getState()).map(({ id }) => id)
  if (ids.length === 0) return
  removeParts(ids)
  choose([])
  notify({ tone: 'plain', text: ids.length === 1 ? 'Part removed' : `${ids.length} parts removed`, undo: true })
}

/** What of its source a part is at, at a beat of the timeline: on the axis that it holds on to. */
export function offsetAt(state: State, laid: LaidPart, beat: number): number {
  const { part } = laid
  const { tempo } = timelineOf(state)
  if (part.lock === 'bars' && part.own) return part.offset + part.feel * (beat - part.startBeat)
  return part.offset + (tempo.secondsAt(beat) - tempo.secondsAt(part.startBeat)) / part.recipe.stretch
}

/** The chosen parts fall in two where the playhead is. */
export function splitHere() {
  const state = getState()
  const beat = snapped(state, hereOf(state), !state.mixPlaying)
  const seconds: string[] = []
  for (const { id } of chosenParts(state)) {
    const laid = laidOf(state, id)
    if (!laid) continue
    const { from, to } = extentOf(state, laid)
    if (beat > from + 1e-6 && beat < to - 1e-6) seconds.push(splitPart(id, beat, to, offsetAt(state, laid, beat)))
  }
  if (seconds.length > 0) choose(seconds)
  else notify({ tone: 'plain', text: 'Put the playhead inside a chosen part to split it' })
}

/** Let the chosen part, or parts, sound in another variant of their source, by its place there. */
export function switchVariant(index: number) {
  const state = getState()
  for (const part of chosenParts(state)) {
    const source = state.history.present.sources.find(({ id }) => id === part.source)
    const variant = source?.variants[index]
    if (variant)
      setPart([part.id], `Variant ${variant.letter}`, { variant: variant.id, method: undefined, settings: undefined })
  }
}

/** The tempo line under which a part that is locked to bars plays as it was recorded, from its own beginning on. */
function tempoOf(own: OwnBeats, { offset, feel }: LaidPart['part'], beats: number): TempoLine {
  const way = ownPassage(own)
  const count = Math.max(1, Math.floor(beats + 1e-6))
  return tempoOfBeats(Array.from({ length: count + 1 }, (_, n) => way.to((offset + feel * n) as never)))
}

/** What of its source a part begins with, seconds. */
export const startSecondOf = ({ part, laps }: LaidPart, sampleRate: number): number =>
  part.lock === 'seconds' ? part.offset : Math.max(0, (laps[0]?.map.sourceAt(asOutput(0)) ?? 0) / sampleRate)

/**
 * Parts hold on to bars, or to seconds, from here on. What was cut off their beginning stays cut off.
 * One that is locked to bars begins with one of its beats, so that they lie on the line.
 */
export function lockTo(ids: readonly string[], lock: TimelinePart['lock'], label = 'Lock', gesture = newGesture()) {
  for (const id of ids) {
    const state = getState()
    const laid = laidOf(state, id)
    const source = state.history.present.sources.find((own) => own.id === laid?.part.source)
    const size = source && partFacts(source)
    if (!laid || !size) continue
    const { own, offset, lock: before } = laid.part
    // what has no beats is laid by its seconds either way
    const other = !own || before === lock
    const start = other ? offset : startSecondOf(laid, size.sampleRate)
    const kept = other || lock === 'seconds' ? start : Math.max(0, Math.round(ownPassage(own).from(start)))
    setPart([id], label, { lock, offset: kept }, gesture)
  }
}

const newGesture = () => crypto.randomUUID()

/**
 * The tempo line follows what is played in a part, so that it plays as it was recorded and the click follows it.
 * The part is locked to bars then: its beats are the line's.
 */
export function takeTempoOf(id: string, gesture = newGesture()) {
  if (!laidOf(getState(), id)?.part.own) return
  const label = 'Take a tempo'
  lockTo([id], 'bars', label, gesture)
  const laid = laidOf(getState(), id)
  if (!laid?.part.own) return
  const { from, to } = extentOf(getState(), laid)
  takeTempo(from, tempoOf(laid.part.own, laid.part, to - from), gesture)
}

/** A loop goes round as long as a performance lasts, on its beats. */
export function followPart(loopId: string, performanceId: string) {
  const gesture = newGesture()
  takeTempoOf(performanceId, gesture)
  const played = laidOf(getState(), performanceId)
  if (!played?.part.own) return
  const { from, to } = extentOf(getState(), played)
  lockTo([loopId], 'bars', 'Follow', gesture)
  setPart([loopId], 'Follow', { repeat: true, startBeat: from, beats: to - from }, gesture)
}
