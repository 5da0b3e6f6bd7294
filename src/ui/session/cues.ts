import { type Markers, NO_MARKERS } from '../../core'
import { type HandMarkers, partFacts, type Source, soundKey, withCue, withCueChanged, withoutCue } from '../../session'
import { setHand } from './edits'
import { playback } from './hear/listening'
import { type State, store } from './state/store'

/** What a source's file is to say of places in it: cues, loops, the root. Frames of the file; each call is one step. */

const { getState } = store

/** As it was set by hand, else as the file says; nothing until it is read. The same as long as it is the same. */
export const markersNow = (state: State, source: Source): Markers =>
  (source.hand.markers as Markers | undefined) ?? state.loads[soundKey(source)]?.markers ?? NO_MARKERS

const change = (source: Source, next: (now: HandMarkers) => HandMarkers, gesture?: string) => {
  const { cues, loops, rootNote } = markersNow(getState(), source)
  const now = { cues: [...cues], loops: [...loops], ...(rootNote !== undefined && { rootNote }) } as HandMarkers
  const wanted = next(now)
  if (wanted !== now) setHand(source.id, { markers: wanted }, gesture)
}

const within = (source: Source, frame: number) =>
  Math.min((source.facts?.frames ?? 1) - 1, Math.max(0, Math.round(frame)))

export const addCue = (source: Source, frame: number) => change(source, (now) => withCue(now, within(source, frame)))

/** A cue where it is heard now: on the bench, where it is seen. */
export function cueHere(source: Source | undefined) {
  if (source && partFacts(source) && getState().outlook.view === 'bench')
    addCue(source, playback.sourceFrame() + (source.range?.start ?? 0))
}

export const moveCue = (source: Source, at: number, frame: number, gesture?: string) =>
  change(source, (now) => withCueChanged(now, at, { frame: within(source, frame) }), gesture)

export const nameCue = (source: Source, at: number, label: string) =>
  change(source, (now) => withCueChanged(now, at, { label: label.trim() }))

export const dropCue = (source: Source, at: number) => change(source, (now) => withoutCue(now, at))

/** A loop that players of the file go round in: where the selection lies. */
export function loopSelection(source: Source) {
  const { selection, range } = source
  if (!selection) return
  const offset = range?.start ?? 0
  const loop = {
    startFrame: within(source, selection.start + offset),
    endFrame: within(source, selection.end + offset - 1) + 1,
    kind: 'forward' as const,
    plays: 0,
  }
  change(source, (now) => ({ ...now, loops: [...now.loops, loop] }))
}

export const dropLoop = (source: Source, n: number) =>
  change(source, (now) => ({ ...now, loops: now.loops.filter((_, at) => at !== n) }))

/** @param root  0–127; undefined where nothing is said of it */
export const setRoot = (source: Source, root: number | undefined, gesture?: string) =>
  change(
    source,
    ({ rootNote: _, ...now }) => ({ ...now, ...(root !== undefined && { rootNote: Math.round(root) }) }),
    gesture,
  )

/** Let the file say what it said. */
export const asInFile = (source: Source) => setHand(source.id, { markers: undefined })
