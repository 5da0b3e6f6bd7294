import type { Material } from './material'

/** From where on a sustained sound is better drawn afresh than carried on. */
const FAR = 8

/** The method that usually serves a kind of sound best at a stretch, and why. A starting point, not a measurement. */
export function suggestMethod(material: Pick<Material, 'kind'>, stretch: number): { methodId: string; why: string } {
  const { kind } = material
  if (kind === 'noise') return { methodId: 'drift', why: 'noise is drawn afresh' }
  if (stretch >= FAR && kind !== 'hits') return { methodId: 'drift', why: `${FAR} × and more` }
  if (kind === 'hits') return { methodId: 'splice', why: 'hits are placed whole' }
  if (kind === 'single line') return { methodId: 'cycle', why: 'one voice at a time' }
  if (kind === 'chords') return { methodId: 'vocoder', why: 'several tones at once' }
  if (kind === 'dense mix') return { methodId: 'layered', why: 'tones, hits and noise each get their own' }
  return { methodId: 'layered', why: 'the material is unsure' }
}
