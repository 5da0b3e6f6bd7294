import { useEffect, useMemo } from 'react'
import { looksOf, type PickLook, syncGlances } from '../session/play/glances'
import { store, useSession } from '../session/state/store'

/** What is known of all picks, by their ids; what is not is found out meanwhile. */
export function useLooks(): ReadonlyMap<string, PickLook> {
  const picks = useSession((state) => state.history.present.picks)
  const sources = useSession((state) => state.history.present.sources)
  const glances = useSession((state) => state.glances)
  // biome-ignore lint/correctness/useExhaustiveDependencies: it looks at the store, when these have changed
  useEffect(() => syncGlances(store.getState()), [picks, sources])
  return useMemo(() => looksOf(picks, sources, glances), [picks, sources, glances])
}
