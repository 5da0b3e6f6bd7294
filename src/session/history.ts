import { applyPatches, enablePatches, type Patch, produceWithPatches } from 'immer'

enablePatches()

export interface Step {
  readonly label: string
  /** steps in a row with the same mark are one: a drag, a held key, the files of one drop */
  readonly gesture: string | undefined
  readonly redo: readonly Patch[]
  readonly undo: readonly Patch[]
}

/** A state with its past and future as diffs. */
export interface History<S> {
  readonly present: S
  readonly past: readonly Step[]
  readonly future: readonly Step[]
}

const MOST_STEPS = 500

export function startHistory<S>(present: S): History<S> {
  return { present, past: [], future: [] }
}

/** Change the state by a recipe on a draft. A change that changes nothing is no step. */
export function change<S>(
  history: History<S>,
  label: string,
  recipe: (draft: S) => void,
  gesture?: string,
): History<S> {
  const [present, redo, undo] = produceWithPatches(history.present, (draft) => {
    recipe(draft as S)
  })
  if (redo.length === 0) return history
  const last = history.past.at(-1)
  const joins = gesture !== undefined && last?.gesture === gesture
  const step: Step = joins
    ? { label: last.label, gesture, ...joined(last, redo, undo) }
    : { label, gesture, redo, undo }
  const before = joins ? history.past.slice(0, -1) : history.past
  return { present, past: [...before, step].slice(-MOST_STEPS), future: [] }
}

/** Two steps as one. Where both put values in the same places, what lay between is not kept: a drag has hundreds. */
function joined(last: Step, redo: readonly Patch[], undo: readonly Patch[]): Pick<Step, 'redo' | 'undo'> {
  const placesOf = (patches: readonly Patch[]) =>
    patches.every(({ op }) => op === 'replace') ? patches.map(({ path }) => path.join('/')).sort() : undefined
  const [before, now] = [placesOf(last.redo), placesOf(redo)]
  const isSame = before !== undefined && now !== undefined && before.join('\n') === now.join('\n')
  return isSame ? { redo, undo: last.undo } : { redo: [...last.redo, ...redo], undo: [...undo, ...last.undo] }
}

export function undo<S>(history: History<S>): History<S> {
  const step = history.past.at(-1)
  if (!step) return history
  return {
    present: applyPatches(history.present as object, [...step.undo]) as S,
    past: history.past.slice(0, -1),
    future: [step, ...history.future],
  }
}

export function redo<S>(history: History<S>): History<S> {
  const [step, ...future] = history.future
  if (!step) return history
  return {
    present: applyPatches(history.present as object, [...step.redo]) as S,
    past: [...history.past, step],
    future,
  }
}

/** Change the state beside history: facts that were found out, which no undo should take back. */
export function amend<S>(history: History<S>, recipe: (draft: S) => void): History<S> {
  const [present] = produceWithPatches(history.present, (draft) => {
    recipe(draft as S)
  })
  return { ...history, present }
}
