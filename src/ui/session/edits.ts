import { methodById } from '../../core'
import { change, redo as redoStep, undo as undoStep } from './history'
import { hearLane, playback } from './listening'
import {
  freeLetter,
  MAX_VARIANTS,
  newVariant,
  PLAIN_TARGET,
  type Session,
  type Source,
  type Target,
  type Variant,
} from './model'
import { notify } from './notices'
import { setOutlook } from './outlook'
import { store } from './store'

/** All that a person changes in the session. Each call is one step of undo, or joins the step of its gesture. */

const SHORTEST_LOOP_SECONDS = 0.01

const { getState, setState } = store

export function edit(label: string, recipe: (session: Session) => void, gesture?: string) {
  setState((state) => ({ history: change(state.history, label, recipe, gesture) }))
}

function editSource(sourceId: string, label: string, recipe: (source: Source) => void, gesture?: string) {
  edit(
    label,
    (session) => {
      const source = session.sources.find((s) => s.id === sourceId)
      if (source) recipe(source)
    },
    gesture,
  )
}

function editVariant(
  source: Source,
  variantId: string,
  label: string,
  recipe: (variant: Variant) => void,
  gesture?: string,
) {
  editSource(
    source.id,
    label,
    (draft) => {
      const variant = draft.variants.find((v) => v.id === variantId)
      if (variant) recipe(variant)
    },
    gesture,
  )
}

export function undo() {
  setState((state) => ({ history: undoStep(state.history) }))
}

export function redo() {
  setState((state) => ({ history: redoStep(state.history) }))
}

export function selectSource(id: string) {
  if (getState().outlook.selectedId === id) return
  if (playback.playing) playback.stop()
  setOutlook({ selectedId: id })
}

export function rename(sourceId: string, name: string) {
  const clean = name.trim()
  if (clean)
    editSource(sourceId, 'Rename', (source) => {
      source.name = clean
    })
}

export function removeSource(sourceId: string) {
  const { sources } = getState().history.present
  const at = sources.findIndex((source) => source.id === sourceId)
  const source = sources[at]
  if (!source) return
  if (getState().outlook.selectedId === sourceId) {
    if (playback.playing) playback.stop()
    const neighbour = sources[at + 1] ?? sources[at - 1]
    setOutlook({ selectedId: neighbour?.id })
  }
  edit(`Remove ${source.name}`, (session) => {
    session.sources.splice(at, 1)
  })
  notify({ tone: 'plain', text: `${source.name} removed`, undo: true })
}

export function setTarget(sourceId: string, part: Partial<Target>, gesture?: string) {
  editSource(
    sourceId,
    'Target',
    (source) => {
      Object.assign(source.target, part)
    },
    gesture,
  )
}

export function resetTarget(sourceId: string) {
  editSource(sourceId, 'Reset target', (source) => {
    source.target = { ...PLAIN_TARGET, sourceBpm: source.target.sourceBpm }
  })
}

export function setSelection(sourceId: string, selection: Source['selection'], gesture?: string) {
  const facts = getState().history.present.sources.find((s) => s.id === sourceId)?.facts
  if (!facts) return
  editSource(
    sourceId,
    'Selection',
    (source) => {
      if (!selection) {
        delete source.selection
        return
      }
      const shortest = Math.ceil(SHORTEST_LOOP_SECONDS * facts.sampleRate)
      const start = Math.max(0, Math.min(Math.round(selection.start), facts.frames - shortest))
      source.selection = { start, end: Math.min(facts.frames, Math.max(Math.round(selection.end), start + shortest)) }
    },
    gesture,
  )
}

export function addVariant(source: Source, methodId: string) {
  placeVariant(source, newVariant(crypto.randomUUID(), freeLetter(source.variants), methodId), 'Add variant')
}

export function copyVariant(source: Source, variant: Variant) {
  placeVariant(source, { ...variant, id: crypto.randomUUID(), letter: freeLetter(source.variants) }, 'Copy variant')
}

function placeVariant(source: Source, variant: Variant, label: string) {
  if (source.variants.length >= MAX_VARIANTS) return
  const after = source.variants.findIndex((v) => v.letter > variant.letter)
  const at = after < 0 ? source.variants.length : after
  editSource(source.id, label, (draft) => {
    draft.variants.splice(at, 0, variant)
  })
  hearLane(at + 1)
}

export function removeVariant(source: Source, variant: Variant) {
  editSource(source.id, `Remove ${variant.letter}`, (draft) => {
    draft.variants = draft.variants.filter((v) => v.id !== variant.id)
  })
  notify({ tone: 'plain', text: `Variant ${variant.letter} removed`, undo: true })
}

export function setMethod(source: Source, variant: Variant, methodId: string) {
  editVariant(source, variant.id, 'Method', (draft) => {
    draft.methodId = methodId
  })
}

export function setSetting(
  source: Source,
  variant: Variant,
  name: string,
  value: number | string | undefined,
  gesture?: string,
) {
  editVariant(
    source,
    variant.id,
    'Setting',
    (draft) => {
      const own = { ...draft.settings[draft.methodId] }
      if (value === undefined || value === methodById(draft.methodId).settings[name]?.default) delete own[name]
      else own[name] = value
      draft.settings[draft.methodId] = own
    },
    gesture,
  )
}

export function setSeed(source: Source, variant: Variant, seed: number, gesture?: string) {
  editVariant(
    source,
    variant.id,
    'Seed',
    (draft) => {
      draft.seed = seed
    },
    gesture,
  )
}
