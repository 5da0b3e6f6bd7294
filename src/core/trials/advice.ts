import { type Artefact, type ArtefactId, artefactKinds } from '../measure/artefacts'
import { findingOf, findingsOf, isTold, severityOf } from '../measure/grading'
import type { Measurement } from '../measure/measure'
import { foundFigureOf } from '../measure/verdict'
import type { Trial } from './trial'

/**
 * How much each kind of harm says about how far a result is from its ideal, and what the unlikeness adds per dB.
 * A kind counts by the square root of how bad it is on the one scale of `grading`.
 * The weights were fitted to half of the items with ideal answers, but that of lost attacks, which is set by hand.
 * Those of flutter, detune and unlikeness were raised later, on the first two items that are drawn of each kind.
 * How often the first is the best is told in docs/advice.md.
 */
const WEIGHTS: Readonly<Record<ArtefactId, number>> = {
  'lost-attacks': 0.8,
  'extra-attacks': 0.31,
  smear: 0.37,
  slip: 0.49,
  flutter: 0.67,
  detune: 1.3,
  phasiness: 1.36,
  'noise-colour': 0.41,
  'formant-shift': 0.35,
  image: 0.45,
  level: 0.43,
  balance: 2.69,
  clicks: 0.4,
  aliasing: 0.47,
}
const UNLIKENESS_WEIGHT = 2.6

const counted = ({ id, value, measured }: Artefact) => (measured ? WEIGHTS[id] * Math.sqrt(severityOf(id, value)) : 0)

/** All the harm of a result in one number for ranking; 0 is none. It has no unit and is only to be compared. */
export function harmOf({ artefacts, unlikenessDb }: Measurement): number {
  return artefacts.reduce((harm, artefact) => harm + counted(artefact), UNLIKENESS_WEIGHT * unlikenessDb)
}

/** what is said of harm where no kind of it is heard */
export const NONE_HEARD = 'none heard'

/**
 * The number as it is shown. Where nothing is heard, it says so: what is left of it then only orders results.
 * It is a question mark where there is too little of a sound to tell.
 */
export function harmText(measurement: Measurement): string {
  if (!isTold(measurement)) return '?'
  return findingsOf(measurement).length === 0 ? NONE_HEARD : harmOf(measurement).toFixed(1)
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

/**
 * Methods by what they did to this sound, least harm first. Those at the top are close, as far as figures do not tell them
 * apart. Where no harm is heard in the first, one in which harm is heard is told from it.
 */
export function rankTrials<One extends Tried>(tried: readonly One[]): (One & Ranked)[] {
  const ranked = tried.map((one) => ({ ...one, harm: harmOf(one.trial.measurement) })).sort((a, b) => a.harm - b.harm)
  const isHeard = (one: Tried | undefined) => one !== undefined && findingsOf(one.trial.measurement).length > 0
  const [first] = ranked
  let close = true
  return ranked.map((one) => {
    close &&= isClose(one.harm, first?.harm ?? 0) && (isHeard(first) || !isHeard(one))
    return { ...one, close }
  })
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
    .flatMap(({ id, label }) => {
      const own = of(measurement, id)
      const other = against && of(against, id)
      const finding = own && findingOf(own)
      // what is not heard is no reason
      if (!own || !finding) return []
      const difference = Math.abs(counted(own) - (other ? counted(other) : 0))
      // a count says of what it is
      const figure = foundFigureOf(finding)
      return [{ text: id === 'clicks' ? figure : `${label.toLowerCase()} ${figure}`, difference }]
    })
    .sort((a, b) => b.difference - a.difference)
  told.push(...apart.slice(0, TOLD).map(({ text }) => text))
  if (apart.length > TOLD) told.push(`${apart.length - TOLD} more`)
  if (apart.length === 0) told.push(isTold(measurement) ? 'no other harm is audible' : 'too short to tell')
  return told.join(', ')
}
