import type { Material } from './material'
import { suggestMethod } from './suggestMethod'

/**
 * What a new source is tried with, by its kind, and why in one line. The method that usually serves the kind best comes
 * first, then one of each family that answers another need. It is a starting point: advice measures.
 */
export function firstLanes(kind: Material['kind']): { readonly methodIds: readonly string[]; readonly why: string } {
  // nothing is known yet of most of these: what is light comes first
  if (kind === 'unsure') return { methodIds: ['wsola', 'vocoder', 'grain'], why: 'one method of each family' }
  const { methodId, why } = suggestMethod({ kind }, 1)
  const second = methodId === 'vocoder' || kind === 'noise' ? 'layered' : 'vocoder'
  return { methodIds: [methodId, second, 'grain'], why }
}
