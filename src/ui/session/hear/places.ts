import { partFacts, type Source, type Variant } from '../../../session'
import { setSelection } from '../edits'
import { setOutlook } from '../state/outlook'
import { activeLane, type State, selectedSource, store } from '../state/store'
import { hearLane, playback, seek, togglePlay } from './listening'

/** Listening to one place through all lanes in turn. */

const { getState } = store

/** Loop a place, starting with the variant that it was found in, and let the lanes take turns from there. */
export function hearPlace(source: Source, variant: Variant, place: { readonly start: number; readonly end: number }) {
  const facts = partFacts(source)
  if (!facts) return
  const around = listenAround(place, facts.sampleRate, facts.frames)
  setSelection(source.id, around)
  setOutlook({ looping: true, turns: true })
  hearLane(1 + source.variants.findIndex(({ id }) => id === variant.id))
  seek(around.start)
  if (playback.playing !== 'lane') togglePlay()
}

/** Loop what lies around a moment, in the lane that is heard; seconds of the part. */
export function hearMoment(source: Source, seconds: number) {
  const facts = partFacts(source)
  if (!facts) return
  const at = seconds * facts.sampleRate
  const around = listenAround({ start: at, end: at }, facts.sampleRate, facts.frames)
  setSelection(source.id, around)
  setOutlook({ looping: true })
  seek(around.start)
  if (playback.playing !== 'lane') togglePlay()
}

/** Enough before a place to know what comes, and at least half a second of it; source frames. */
export function listenAround(place: { start: number; end: number }, sampleRate: number, frames: number) {
  const length = Math.min(frames, Math.max(0.5 * sampleRate, place.end - place.start + 0.3 * sampleRate))
  const centre = (place.start + place.end) / 2
  const start = Math.max(0, Math.min(frames - length, centre - 0.4 * length))
  return { start: Math.round(start), end: Math.round(start + length) }
}

let watching = false
let last = 0

/** While turns are taken, each time round the loop the next lane is heard. */
export function syncTurns(state: State) {
  const wanted = state.outlook.turns && state.outlook.looping && state.playing
  if (!wanted || watching) return
  watching = true
  last = playback.sourceFrame()
  requestAnimationFrame(watch)
}

function watch() {
  const state = getState()
  if (!(state.outlook.turns && state.outlook.looping && state.playing)) {
    watching = false
    return
  }
  const now = playback.sourceFrame()
  const source = selectedSource(state)
  if (source && wrapped(last, now, source)) {
    const lanes = source.variants.length + 1
    const at = 1 + source.variants.findIndex(({ id }) => id === activeLane(state, source))
    hearLane((at + 1) % lanes)
  }
  last = now
  requestAnimationFrame(watch)
}

/** Whether the loop has gone round between two looks: back by more than half of it. */
function wrapped(before: number, now: number, source: Source): boolean {
  const { start, end } = source.selection ?? { start: 0, end: partFacts(source)?.frames ?? 0 }
  return before - now > (end - start) / 2
}
