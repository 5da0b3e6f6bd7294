import { type ArtefactId, artefactKind, artefactKinds } from '../measure/artefacts'
import { findingOf, findingsOf, isTold } from '../measure/grading'
import type { Measurement } from '../measure/measure'
import { foundFigureOf } from '../measure/verdict'
import type { Trial } from './trial'

/**
 * How much each kind of harm says about how far a result is from its ideal, and what the unlikeness adds per dB.
 * A kind counts by the logarithm of how many times it is over where it becomes audible. The weights were fitted to half
 * of the items with ideal answers; docs/advice.md tells how often the first is the best for the other half.
 */
const WEIGHTS: Readonly<Record<ArtefactId, number>> = {
  'lost-attacks': 0.54,
  'extra-attacks': 0.59,
  smear: 0.15,
  slip: 0.16,
  flutter: 1.25,
  detune: 2.4,
  phasiness: 1.1,
  'noise-colour': 0.3,
  'formant-shift': 0.2,
  image: 0.3,
  level: 0.3,
  balance: 6.3,
  clicks: 0.8,
  aliasing: 0.42,
}
const UNLIKENESS_WEIGHT = 1.94

/** All the harm of a result in one number for ranking; 0 is none. It has no unit and is only to be compared. */
export function harmOf({ artefacts, unlikenessDb }: Measurement): number {
  let harm = UNLIKENESS_WEIGHT * unlikenessDb
  for (const { id, value, measured } of artefacts) {
    if (measured) harm += WEIGHTS[id] * Math.log1p(value / artefactKind(id).audibleFrom)
  }
  return harm
}

/**
 * The number as it is shown. It is 0 where nothing is heard: what is left of it then only orders results.
 * It is a question mark where there is too little of a sound to tell.
 */
export function harmText(measurement: Measurement): string {
  if (!isTold(measurement)) return '?'
  return findingsOf(measurement).length === 0 ? '0' : harmOf(measurement).toFixed(1)
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
const CLOSE_AT_LEAST = 0.3

/** Whether a harm is so near the least that figures do not tell which is less. */
export const isClose = (harm: number, least: number) => harm <= least + Math.max(CLOSE_AT_LEAST, CLOSE * least)

/** Methods by what they did to this sound, least harm first. */
export function rankTrials(tried: readonly Tried[]): Ranked[] {
  const ranked = tried.map((one) => ({ ...one, harm: harmOf(one.trial.measurement) })).sort((a, b) => a.harm - b.harm)
  const best = ranked[0]?.harm ?? 0
  return ranked.map((one) => ({ ...one, close: isClose(one.harm, best) }))
}

const TOLD = 3

/** Why a method lies where it does, in figures: its attacks, and what sets it most apart from the one it is compared with. */
export function reasonOf(measurement: Measurement, against?: Measurement): string {
  const of = (from: Measurement, id: ArtefactId) => from.artefacts.find((artefact) => artefact.id === id)
  const told: string[] = []
  const { attackCount = 0, lostCount = 0 } = of(measurement, 'lost-attacks')?.parts ?? {}
  const { extraCount = 0 } = of(measurement, 'extra-attacks')?.parts ?? {}
  if (attackCount > 0) {
    told.push(`${attackCount - lostCount} of ${attackCount} ${attackCount === 1 ? 'attack' : 'attacks'} tried`)
    told.push(extraCount === 0 ? 'none repeated' : `${extraCount} repeated or made up`)
  } else if (extraCount > 0) told.push(`${extraCount} ${extraCount === 1 ? 'attack' : 'attacks'} made up`)
  const apart = artefactKinds
    .filter(({ id }) => id !== 'lost-attacks' && id !== 'extra-attacks')
    .flatMap(({ id, label, audibleFrom }) => {
      const own = of(measurement, id)
      const other = against && of(against, id)
      const finding = own && findingOf(own)
      // what is not heard is no reason
      if (!own || !finding) return []
      const over = WEIGHTS[id] * Math.log1p(own.value / audibleFrom)
      const less = other ? WEIGHTS[id] * Math.log1p(other.value / audibleFrom) : 0
      return [{ text: `${label.toLowerCase()} ${foundFigureOf(finding)}`, difference: Math.abs(over - less) }]
    })
    .sort((a, b) => b.difference - a.difference)
  told.push(...apart.slice(0, TOLD).map(({ text }) => text))
  if (apart.length > TOLD) told.push(`${apart.length - TOLD} more`)
  if (apart.length === 0) told.push(isTold(measurement) ? 'no other harm is audible' : 'too short to tell')
  return told.join(', ')
}
