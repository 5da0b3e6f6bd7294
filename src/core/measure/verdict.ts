import { type Artefact, type ArtefactId, artefactKind } from './artefacts'
import { type Finding, findingsOf, isTold } from './grading'
import type { Measurement } from './measure'

/** How a figure is written: as many digits as it means something. */
export function figureOf({ id, value }: Pick<Artefact, 'id' | 'value'>): string {
  const { unit } = artefactKind(id)
  if (id === 'clicks') return `${value} ${value === 1 ? 'click' : 'clicks'}`
  const digits = unit === 'dB' || unit === 'LU' ? 1 : value < 10 && unit !== 'per 100' ? 1 : 0
  return `${value.toFixed(digits)} ${unit}`
}

/** The figure of a finding: of the whole, or of its worst place where it is heard only in places. */
export function foundFigureOf({ artefact, local }: Finding): string {
  if (!local) return figureOf(artefact)
  const where = local.count === 1 ? 'one place' : `${local.count} places`
  return `up to ${figureOf({ id: artefact.id, value: local.worst.value })} in ${where}`
}

const NUMBERS = ['none', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten']
const count = (n: number) => NUMBERS[n] ?? String(n)
const MOST = 4

/** what a kind that could not be told is about, in the verdict */
const ABOUT: Partial<Readonly<Record<ArtefactId, string>>> = { flutter: 'tones', 'noise-colour': 'noise' }

/** What a measurement comes to in one line, every word of it from a figure. */
export function verdictOf(measurement: Measurement, sampleRate: number): string {
  const { artefacts } = measurement
  const of = (id: Artefact['id']) => artefacts.find((artefact) => artefact.id === id)
  const lost = of('lost-attacks')
  const extra = of('extra-attacks')
  const told: string[] = []
  const attacks = lost?.parts.attackCount ?? 0
  const lostCount = lost?.parts.lostCount ?? 0
  const extraCount = extra?.parts.extraCount ?? 0
  const seconds = ({ sourceFrame }: { sourceFrame: number }) => (sourceFrame / sampleRate).toFixed(2)
  const where = (artefact: Artefact | undefined, n: number) => {
    const places = (artefact?.places ?? []).slice(0, 2).map(seconds)
    return places.length === 0 ? '' : ` at ${places.join(' and ')}${n > 2 ? ' …' : ''} s`
  }
  if (!isTold(measurement)) told.push('too short to tell')
  if (attacks === 1) told.push(lostCount === 0 ? 'keeps its one attack' : `loses its one attack${where(lost, 1)}`)
  else if (attacks > 0) {
    const known = lost?.parts.knownCount ?? attacks
    const counted = known > attacks ? ` that stand out, of ${known}` : ''
    const kept = lostCount === 0 ? `all ${attacks}` : `${attacks - lostCount} of ${attacks}`
    told.push(`keeps ${kept} attacks${counted}`)
    if (lostCount > 0) told.push(`loses ${lostCount === 1 ? 'the one' : count(lostCount)}${where(lost, lostCount)}`)
  }
  if (extraCount > 0) told.push(`${count(extraCount)} repeated or made up${where(extra, extraCount)}`)
  const rest = findingsOf(measurement).filter(({ artefact: { id } }) => id !== 'lost-attacks' && id !== 'extra-attacks')
  for (const finding of rest.slice(0, MOST)) {
    const { artefact, grade, local } = finding
    const at =
      local && local.count > 1 ? `, worst at ${seconds(local.worst)} s` : local ? ` at ${seconds(local.worst)} s` : ''
    told.push(`${grade} ${artefactKind(artefact.id).label.toLowerCase()} (${foundFigureOf(finding)}${at})`)
  }
  if (rest.length > MOST)
    told.push(`${count(rest.length - MOST)} more ${rest.length - MOST === 1 ? 'kind' : 'kinds'} of harm`)
  if (isTold(measurement)) {
    if (rest.length === 0) told.push(told.length === 0 ? 'no harm is audible' : 'no other harm is audible')
    const short = artefacts.flatMap((artefact) => (artefact.short && ABOUT[artefact.id]) || [])
    if (short.length > 0) told.push(`too short to tell of ${short.join(' and ')}`)
  }
  const text = told.join('; ')
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}.`
}
