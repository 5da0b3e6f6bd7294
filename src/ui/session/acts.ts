import type { Recipe } from '../../core'
import {
  freeLetter,
  MAX_VARIANTS,
  newVariant,
  redo as redoStep,
  type Session,
  type Source,
  type Step,
  type Target,
  undo as undoStep,
  type Variant,
} from '../../session'
import { changeTarget, dropSource, dropVariant, movePitches, placeVariant, plainTarget, setKin } from './edits'
import { hearLane, hearWhenReady, leaveTried, playback } from './hear/listening'
import { mayChange } from './state/access'
import { notify } from './state/notices'
import { setOutlook } from './state/outlook'
import { store } from './state/store'

/** What a person does that is more than an edit: what is heard follows, or something is said of it. */

const { getState, setState } = store

/** Take the last step back. */
export function undo() {
  walk('past', undoStep)
}

/** Do again what was taken back last. */
export function redo() {
  walk('future', redoStep)
}

/** Take a step back, or again; say which, and go to the source that it is about. */
function walk(side: 'past' | 'future', step: typeof undoStep<Session>) {
  if (!mayChange()) return
  const { history } = getState()
  const taken = side === 'past' ? history.past.at(-1) : history.future[0]
  if (!taken) return
  setState({ history: step(history) })
  const { sources } = getState().history.present
  const about = aboutSource(taken, [sources, history.present.sources])
  if (about && sources.some(({ id }) => id === about.id)) selectSource(about.id)
  const where = about && !taken.label.includes(about.name) ? `, ${about.name}` : ''
  notify({ tone: 'plain', text: `${side === 'past' ? 'Undone' : 'Done again'}: ${taken.label}${where}`, kind: 'undo' })
}

/** The one source that a step changed; undefined where it was several, or none. */
function aboutSource({ redo, undo }: Step, before: readonly (readonly Source[])[]): Source | undefined {
  const places = new Set([...redo, ...undo].map(({ path }) => (path[0] === 'sources' ? path[1] : undefined)))
  const [place] = places
  if (places.size !== 1 || typeof place !== 'number') return undefined
  return before[0]?.[place] ?? before[1]?.[place]
}

export function selectSource(id: string) {
  if (getState().outlook.selectedId === id) return
  // the timeline plays on: it is of all sources
  if (playback.playing === 'lane') playback.stop()
  leaveTried()
  hearWhenReady()
  setOutlook({ selectedId: id })
}

/** Go to a source and hear it from its start as soon as it is read: walking the shelf by ear. */
export function walkTo(id: string) {
  selectSource(id)
  hearWhenReady(id)
}

export function removeSource(sourceId: string) {
  const { sources } = getState().history.present
  const at = sources.findIndex((source) => source.id === sourceId)
  const source = sources[at]
  if (!source || !mayChange()) return
  if (getState().outlook.selectedId === sourceId) {
    if (playback.playing === 'lane') playback.stop()
    const neighbour = sources[at + 1] ?? sources[at - 1]
    setOutlook({ selectedId: neighbour?.id })
  }
  dropSource(source)
  notify({ tone: 'plain', text: `${source.name} removed`, undo: true })
}

export function setTarget(sourceId: string, part: Partial<Target>, gesture?: string) {
  say(changeTarget(sourceId, part, gesture))
}

export function resetTarget(sourceId: string) {
  say(plainTarget(sourceId))
}

/** Move the pitch of several sources at once. */
export function transpose(sourceIds: readonly string[], semitones: number, gesture?: string) {
  const { ended, ...done } = movePitches(sourceIds, semitones, gesture)
  for (const text of ended) say(text)
  return done
}

/** Say that sources were recorded together; the first of them leads. */
export function markKin(sourceIds: readonly string[]) {
  if (!mayChange()) return
  setKin(sourceIds)
  const lead = getState().history.present.sources.find(({ id }) => id === sourceIds[0])
  if (lead) notify({ tone: 'plain', text: `${sourceIds.length} timed as one, by ${lead.name}`, undo: true })
}

function say(text: string | undefined) {
  if (text !== undefined) notify({ tone: 'plain', text })
}

export function addVariant(source: Source, methodId: string) {
  hearPlaced(
    placeVariant(source, newVariant(crypto.randomUUID(), freeLetter(source.variants), methodId), 'Add variant'),
  )
}

export function copyVariant(source: Source, variant: Variant) {
  const copy = { ...variant, id: crypto.randomUUID(), letter: freeLetter(source.variants) }
  hearPlaced(placeVariant(source, copy, 'Copy variant'))
}

function hearPlaced(place: number | undefined) {
  if (place !== undefined) hearLane(place + 1)
}

/**
 * Take what was tried to the bench, in one step.
 * Its length and pitch become the target, its method a variant if there is none yet.
 */
export function takeTried(source: Source, recipe: Recipe) {
  const { methodId, settings, stretch, pitchSemitones } = recipe
  const same = source.variants.findIndex((variant) => variant.methodId === methodId && !variant.joins)
  const fits = (variant: Variant) => JSON.stringify(variant.settings[methodId] ?? {}) === JSON.stringify(settings)
  const at = source.variants.findIndex((variant) => variant.methodId === methodId && !variant.joins && fits(variant))
  const mark = `take-${crypto.randomUUID()}`
  setTarget(source.id, { stretch, pitchSemitones, tied: false }, mark)
  if (at >= 0) hearLane(at + 1)
  else if (source.variants.length < MAX_VARIANTS) {
    const variant = newVariant(crypto.randomUUID(), freeLetter(source.variants), methodId)
    hearPlaced(placeVariant(source, { ...variant, settings: { [methodId]: { ...settings } } }, 'Add variant', mark))
  } else hearLane(same + 1)
}

export function removeVariant(source: Source, variant: Variant) {
  if (!mayChange()) return
  dropVariant(source, variant)
  notify({ tone: 'plain', text: `Variant ${variant.letter} removed`, undo: true })
}
