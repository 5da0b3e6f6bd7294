import { useMemo } from 'react'
import { partFacts, partKey, partStart, type Source } from '../../session'
import { useSession } from '../session/state/store'

/** Attacks of the part that is worked with: seconds of the file, strength 0 to 1. */
export function usePreparedAttacks(source: Source): readonly { readonly seconds: number; readonly strength: number }[] {
  const found = useSession((state) => state.analyses[partKey(source)]?.attacks)
  const known = useSession((state) => state.knowledge[source.id]?.attacks)
  return useMemo(() => {
    const facts = partFacts(source)
    const attacks = found ?? (source.range ? undefined : known)
    if (!facts || !attacks) return []
    const most = Math.max(1e-9, ...attacks.map(({ strength }) => strength))
    return attacks.map(({ frame, strength }) => ({
      seconds: partStart(source) + frame / facts.sampleRate,
      strength: strength / most,
    }))
  }, [found, known, source])
}
