import { type ArtefactId, artefactKind, artefactKinds } from '../measure/artefacts'
import type { Measurement } from '../measure/measure'
import { figureOf } from '../measure/verdict'
import type { Trial } from './trial'

/**
 * How much each kind of harm says about how far a result is from its ideal, on the logarithm of how many times it is over where
 * it becomes audible; and what the unlikeness adds per dB. Fitted to the ideal answers (docs/advice.md says how often the
 * first of the order is the best); fitted without one item, the order was right for 58 of 68 conditions of the item left out.
 */
const WEIGHTS: Readonly<Record<ArtefactId, number>> = {
  'lost-attacks': 0.55,
  'extra-attacks': 0.6,
  smear: 0.15,
  slip: 0.15,
  flutter: 0.9,
  detune: 1.8,
  phasiness: 0.35,
  'noise-colour': 0.2,
  'formant-shift': 0.2,
  image: 0.3,
  level: 0.3,
  balance: 4.8,
  clicks: 1,
  aliasing: 0.4,
}
const UNLIKENESS_WEIGHT = 1

/** All the harm of a result in one number for ranking; 0 is none. It has no unit and is only to be compared. */
export function harmOf({ artefacts, unlikenessDb }: Measurement): number {
  let harm = UNLIKENESS_WEIGHT * unlikenessDb
  for (const { id, value, measured } of artefacts) {
    if (measured) harm += WEIGHTS[id] * Math.log1p(value / artefactKind(id).audibleFrom)
  }
  return harm
}

export interface Tried {
  readonly methodId: string
  readonly trial: Trial
}

export interface Ranked extends Tried {
  readonly harm: number
  /** so near the best that the figures do not tell them apart */
  readonly close: boolean
}

/** results within this share of the best one are called close */
const CLOSE = 0.1
const CLOSE_AT_LEAST = 0.2

/** Methods by what they did to this sound, least harm first. */
export function rankTrials(tried: readonly Tried[]): Ranked[] {
  const ranked = tried.map((one) => ({ ...one, harm: harmOf(one.trial.measurement) })).sort((a, b) => a.harm - b.harm)
  const best = ranked[0]?.harm ?? 0
  return ranked.map((one) => ({ ...one, close: one.harm <= best + Math.max(CLOSE_AT_LEAST, CLOSE * best) }))
}

const TOLD = 3

/** Why a method lies where it does, in figures: its attacks, and what sets it most apart from the one it is compared with. */
export function reasonOf(measurement: Measurement, against?: Measurement): string {
  const of = (from: Measurement, id: ArtefactId) => from.artefacts.find((artefact) => artefact.id === id)
  const told: string[] = []
  const { attackCount = 0, lostCount = 0 } = of(measurement, 'lost-attacks')?.parts ?? {}
  const { extraCount = 0 } = of(measurement, 'extra-attacks')?.parts ?? {}
  if (attackCount > 0) {
    told.push(`${attackCount - lostCount} of ${attackCount} attacks`)
    told.push(extraCount === 0 ? 'none repeated' : `${extraCount} repeated or made up`)
  } else if (extraCount > 0) told.push(`${extraCount} attacks made up`)
  const apart = artefactKinds
    .filter(({ id }) => id !== 'lost-attacks' && id !== 'extra-attacks')
    .flatMap(({ id, label, audibleFrom }) => {
      const own = of(measurement, id)
      const other = against && of(against, id)
      if (!own?.measured) return []
      const over = WEIGHTS[id] * Math.log1p(own.value / audibleFrom)
      const less = other ? WEIGHTS[id] * Math.log1p(other.value / audibleFrom) : 0
      return [{ text: `${label.toLowerCase()} ${figureOf(own)}`, difference: Math.abs(over - less) }]
    })
    .filter(({ difference }) => difference > 0.1)
    .sort((a, b) => b.difference - a.difference)
  told.push(...apart.slice(0, TOLD).map(({ text }) => text))
  return told.length === 0 ? 'nothing audible' : told.join(', ')
}
