import { type Artefact, type ArtefactId, artefactKind, type Grade, gradeOf, isEvent, type Place } from './artefacts'

/**
 * The one grading that verdict, ribbon, scorecard, advice, sweep, exploration and report all follow.
 *
 * A kind of harm is as bad as its figure for the whole says, or one grade less than its worst place, whichever is more.
 * What is clear in one place is slight in the whole. So there is no mark of which the whole does not know.
 */

/** What a measurement holds of figures. */
interface Measured {
  readonly artefacts: readonly Artefact[]
}

/** On the scale of `severityOf`: from here on a kind of harm is audible, clear, severe. */
export const SEVERITY = { audible: 1, clear: 2, severe: 3 } as const

/**
 * How bad a figure is, on one scale for all kinds: 0 none, 1 just audible, 2 just clear, 3 just severe.
 * In between it goes by share of the way; beyond, one more for each doubling.
 */
export function severityOf(id: ArtefactId, value: number): number {
  const { audibleFrom, clearFrom, severeFrom } = artefactKind(id)
  if (value <= 0) return 0
  if (value < audibleFrom) return value / audibleFrom
  if (value < clearFrom) return 1 + (value - audibleFrom) / (clearFrom - audibleFrom)
  if (value < severeFrom) return 2 + (value - clearFrom) / (severeFrom - clearFrom)
  return 3 + Math.log2(value / severeFrom)
}

const GRADES: readonly Grade[] = ['not audible', 'slight', 'clear', 'severe']

export type HeardGrade = Exclude<Grade, 'not audible'>

/** Where a kind of harm stands out: the places that are clear by themselves. */
export interface Local {
  readonly count: number
  readonly worst: Place
}

/** The places of an artefact that are clear by themselves; undefined where there are none. Events have only a whole. */
export function localOf({ id, places }: Pick<Artefact, 'id' | 'places'>): Local | undefined {
  if (isEvent(id)) return undefined
  const { clearFrom } = artefactKind(id)
  const clear = places.filter(({ value }) => value >= clearFrom)
  const [first] = clear
  if (!first) return undefined
  return { count: clear.length, worst: clear.reduce((a, b) => (b.value > a.value ? b : a), first) }
}

/** A kind of harm that is heard in a result. */
export interface Finding {
  readonly artefact: Artefact
  readonly severity: number
  readonly grade: HeardGrade
  /** where its places say more than the figure for the whole: those that are clear */
  readonly local: Local | undefined
}

/** How bad an artefact is as a whole, by its figure and by its worst place; 0 where it could not be measured. */
export function severityOfArtefact(artefact: Artefact): number {
  if (!artefact.measured) return 0
  const local = artefact.local ?? localOf(artefact)
  return Math.max(severityOf(artefact.id, artefact.value), local ? severityOf(artefact.id, local.worst.value) - 1 : 0)
}

const gradeOfSeverity = (severity: number): Grade => GRADES[Math.min(3, Math.floor(severity + 1e-9))] as Grade

export const gradeOfArtefact = (artefact: Artefact): Grade => gradeOfSeverity(severityOfArtefact(artefact))

/** What is said of an artefact; undefined where it is not heard. */
export function findingOf(artefact: Artefact): Finding | undefined {
  const severity = severityOfArtefact(artefact)
  const grade = gradeOfSeverity(severity)
  if (grade === 'not audible') return undefined
  const byPlaces = severity > severityOf(artefact.id, artefact.value)
  return { artefact, severity, grade, local: byPlaces ? (artefact.local ?? localOf(artefact)) : undefined }
}

/** All that is heard, the worst first. */
export function findingsOf({ artefacts }: Measured): Finding[] {
  return artefacts.flatMap((artefact) => findingOf(artefact) ?? []).sort((a, b) => b.severity - a.severity)
}

/** What of a sound a result may be too short to judge by. */
const JUDGED_BY: readonly ArtefactId[] = ['lost-attacks', 'flutter', 'detune', 'phasiness', 'noise-colour']

/**
 * Whether a measurement says enough for a result to be called good or bad.
 * It does not where the result was too short for attacks, tones and noise alike.
 */
export function isTold({ artefacts }: Measured): boolean {
  const judged = artefacts.filter(({ id }) => JUDGED_BY.includes(id))
  return judged.some(({ measured }) => measured) || !judged.some(({ short }) => short)
}

/** A place of a finding, with its own grade. */
export interface HeardPlace extends Place {
  readonly grade: HeardGrade
}

/**
 * The places of an artefact that are heard. Of what is heard as a whole they are all that are audible.
 * Of what is heard only in places they are those that are clear. Events are as bad as there are many of them.
 */
export function heardPlacesOf(artefact: Artefact): HeardPlace[] {
  const finding = findingOf(artefact)
  if (!finding) return []
  const heardAsWhole = gradeOf(artefact.id, artefact.value) !== 'not audible'
  return artefact.places.flatMap((place) => {
    const grade = isEvent(artefact.id) ? finding.grade : gradeOf(artefact.id, place.value)
    return grade === 'not audible' || (!heardAsWhole && grade === 'slight') ? [] : [{ ...place, grade }]
  })
}

/** The kind of harm that stands out most, and how bad it is, heard or not; undefined where nothing could be told. */
export function worstOf(measurement: Measured): { artefact: Artefact; severity: number } | undefined {
  const { artefacts } = measurement
  if (!isTold(measurement)) return undefined
  let worst: { artefact: Artefact; severity: number } | undefined
  for (const artefact of artefacts) {
    if (!artefact.measured) continue
    const severity = severityOfArtefact(artefact)
    if (!worst || severity > worst.severity) worst = { artefact, severity }
  }
  return worst
}
