import type { Step } from '../../../session'
import { textsIn } from '../../../storage'
import { contents } from '../state/engine'
import { type State, store } from '../state/store'
import { keeper } from './keeping'

/** Bytes go as soon as nothing names them: not the session, nor a step of undo, nor what is kept aside. */

let wanted = false
let running = false

/** All texts of the session, and of the steps that lead away from it and back. */
function named(): Set<string> {
  const { history, offered } = store.getState()
  const texts = new Set<string>()
  textsIn(history.present.sources, texts)
  for (const step of [...history.past, ...history.future]) textsIn([step.undo, step.redo], texts)
  textsIn(offered?.session, texts)
  return texts
}

/** Whether a step brought a whole source, or took one away. */
const namesSource = ({ redo, undo }: Step) =>
  [...redo, ...undo].some(({ path }) => path[0] === 'sources' && path.length <= 2)

/** Whether a change may have left bytes that nothing names. Most do not, and looking through all would be in vain. */
function mayFree(state: State, before: State | undefined): boolean {
  if (!before || before.access !== state.access) return true
  if (state.aside.length < before.aside.length || (before.offered && !state.offered)) return true
  const { past, future } = state.history
  // another way was taken from here on, or the oldest step was forgotten
  const cut = before.history.future.length > 0 && future.length === 0
  const [oldest] = before.history.past
  const forgot = oldest !== undefined && oldest !== past[0] && before.history.past.length > 1 && namesSource(oldest)
  return cut || forgot
}

export function syncUnused(state: State, before: State | undefined) {
  if (state.access.kind !== 'writes' || !mayFree(state, before)) return
  wanted = true
  if (!running) void run()
}

async function run() {
  running = true
  while (wanted) {
    wanted = false
    // what is written comes first: bytes only go when the session that names them is gone
    await keeper.settled()
    const { access, unsaved } = store.getState()
    if (access.kind !== 'writes' || unsaved !== undefined) break
    // what cannot be deleted now is at the next change
    await contents.deleteUnused(named).catch(() => 0)
    await new Promise((resolve) => setTimeout(resolve, 500))
  }
  running = false
}
