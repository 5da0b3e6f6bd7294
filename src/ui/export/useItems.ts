import { useMemo } from 'react'
import { itemGroups, tickedItems } from '../session/exporting/items'
import { today } from '../session/exporting/queue'
import { setOutlook } from '../session/state/outlook'
import { store, useSession } from '../session/state/store'

/** What the view shows hangs on the session, on what is known of it, and on what is ticked. */
function useParts() {
  const session = useSession((state) => state.history.present)
  const knowledge = useSession((state) => state.knowledge)
  const exporting = useSession((state) => state.outlook.exporting)
  return { session, knowledge, exporting }
}

export function useGroups() {
  const { session, knowledge } = useParts()
  // biome-ignore lint/correctness/useExhaustiveDependencies: they are all of the state that is read
  return useMemo(() => itemGroups(store.getState()), [session, knowledge])
}

export function useTicked() {
  const { session, knowledge, exporting } = useParts()
  // biome-ignore lint/correctness/useExhaustiveDependencies: they are all of the state that is read
  return useMemo(() => tickedItems(store.getState(), today()), [session, knowledge, exporting])
}

/** Tick some of what can be exported, or take their ticks away. */
export function tick(keys: readonly string[], on: boolean) {
  setOutlook(({ exporting }) => {
    const others = exporting.ticked.filter((key) => !keys.includes(key))
    return { exporting: { ...exporting, ticked: on ? [...others, ...keys] : others } }
  })
}
