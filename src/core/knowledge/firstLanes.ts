import type { Material } from './material'

/**
 * What a new source is tried with, by its kind, and why in one line. The method that usually serves the kind best comes
 * first, then one of each family that answers another need. It is a starting point: advice measures.
 */
export function firstLanes(kind: Material['kind']): { readonly methodIds: readonly string[]; readonly why: string } {
  return LANES[kind]
}

const LANES: Readonly<Record<Material['kind'], { readonly methodIds: readonly string[]; readonly why: string }>> = {
  hits: { methodIds: ['splice', 'vocoder', 'grain'], why: 'hits are placed whole' },
  'single line': { methodIds: ['cycle', 'vocoder', 'grain'], why: 'one voice: whole cycles are repeated' },
  chords: { methodIds: ['vocoder', 'layered', 'grain'], why: 'tones are carried on, several at once' },
  'dense mix': { methodIds: ['layered', 'vocoder', 'grain'], why: 'tones, hits and noise each get their own' },
  noise: { methodIds: ['drift', 'layered', 'grain'], why: 'noise is drawn afresh' },
  unsure: { methodIds: ['wsola', 'vocoder', 'grain'], why: 'its kind is unsure: one method of each family' },
}
