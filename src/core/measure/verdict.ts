import { type Artefact, artefactKind, gradeOf } from './artefacts'
import type { Measurement } from './measure'

/** How a figure is written: as many digits as it means something. */
export function figureOf(artefact: Pick<Artefact, 'id' | 'value'>): string {
  const { unit } = artefactKind(artefact.id)
  const { value } = artefact
  if (artefact.id === 'clicks') return `${value} ${value === 1 ? 'click' : 'clicks'}`
  const digits = unit === 'dB' || unit === 'LU' ? 1 : value < 10 && unit !== 'per 100' ? 1 : 0
  return `${value.toFixed(digits)} ${unit}`
}

/** Audible kinds of harm, the worst (measured by where each becomes audible) first. */
export function worstFirst(artefacts: readonly Artefact[]): Artefact[] {
  const over = (artefact: Artefact) => artefact.value / artefactKind(artefact.id).audibleFrom
  return artefacts
    .filter((artefact) => artefact.measured && gradeOf(artefact.id, artefact.value) !== 'not audible')
    .sort((a, b) => over(b) - over(a))
}

const NUMBERS = ['none', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten']
const count = (n: number) => NUMBERS[n] ?? String(n)
const MOST = 4

/** What a measurement comes to in one line, every word of it from a figure. */
export function verdictOf({ artefacts }: Measurement, sampleRate: number): string {
  const of = (id: Artefact['id']) => artefacts.find((artefact) => artefact.id === id)
  const lost = of('lost-attacks')
  const extra = of('extra-attacks')
  const told: string[] = []
  const attacks = lost?.parts.attackCount ?? 0
  const lostCount = lost?.parts.lostCount ?? 0
  const extraCount = extra?.parts.extraCount ?? 0
  const where = (artefact: Artefact | undefined, n: number) => {
    const places = (artefact?.places ?? []).slice(0, 2).map((place) => (place.sourceFrame / sampleRate).toFixed(2))
    return places.length === 0 ? '' : ` at ${places.join(' and ')}${n > 2 ? ' …' : ''} s`
  }
  if (attacks > 0) {
    told.push(lostCount === 0 ? `keeps all ${attacks} attacks` : `keeps ${attacks - lostCount} of ${attacks} attacks`)
    if (lostCount > 0) told.push(`loses ${lostCount === 1 ? 'the one' : count(lostCount)}${where(lost, lostCount)}`)
  }
  if (extraCount > 0) told.push(`${count(extraCount)} repeated or made up${where(extra, extraCount)}`)
  const rest = worstFirst(artefacts).filter(({ id }) => id !== 'lost-attacks' && id !== 'extra-attacks')
  for (const artefact of rest.slice(0, MOST)) {
    const grade = gradeOf(artefact.id, artefact.value)
    told.push(`${grade} ${artefactKind(artefact.id).label.toLowerCase()} (${figureOf(artefact)})`)
  }
  if (rest.length > MOST)
    told.push(`${count(rest.length - MOST)} more ${rest.length - MOST === 1 ? 'kind' : 'kinds'} of harm`)
  if (rest.length === 0) told.push(told.length === 0 ? 'no harm is audible' : 'no other harm is audible')
  const text = told.join('; ')
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}.`
}
