import { shelf } from '../state/engine'
import { rememberFacts } from '../state/loading'
import { store } from '../state/store'

/** Have sources read whose length nobody has found out yet: where their picks lie in a result hangs on it. */
export async function knowSizes(ids: Iterable<string>) {
  for (const id of new Set(ids)) {
    const source = store.getState().history.present.sources.find((one) => one.id === id)
    if (source && !source.facts) rememberFacts(id, await shelf.get(source))
  }
}
