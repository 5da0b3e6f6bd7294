import {
  type ArtefactId,
  artefactKind,
  type Breaks,
  breaksOf,
  curveOf,
  figureOf,
  findingOf,
  findingsOf,
  foundFigureOf,
  pointSeverity,
  SEVERITY,
  SWEEP_POINTS,
  type SweepAxis,
  type SweepPoint,
} from '../../core'

/** What a sweep looks like, without anything that draws: columns by place, rows by method. */

export type Shown = ArtefactId | 'worst'

export interface Cell {
  readonly column: number
  readonly row: number
  readonly point: SweepPoint
  /** undefined where this kind of harm could not be measured */
  readonly severity: number | undefined
  /** what stands in the cell: a figure, or the name of what is worst */
  readonly text: string
  /** the same, said in full */
  readonly told: string
  /** what the curve shows: the figure in its unit, or the severity of the worst */
  readonly value: number | undefined
}

export interface SweepModel {
  readonly axis: SweepAxis
  readonly places: readonly number[]
  readonly methodIds: readonly string[]
  readonly shown: Shown
  readonly cells: readonly Cell[]
  /** by row: where harm gets clear */
  readonly breaks: readonly Breaks[]
}

/** One word for each kind, for narrow cells. */
export const SHORT: Readonly<Record<ArtefactId, string>> = {
  'lost-attacks': 'lost',
  'extra-attacks': 'extra',
  smear: 'smear',
  slip: 'slip',
  flutter: 'flutter',
  detune: 'detune',
  phasiness: 'phasy',
  'noise-colour': 'colour',
  'formant-shift': 'formants',
  image: 'image',
  level: 'level',
  balance: 'balance',
  clicks: 'clicks',
  aliasing: 'alias',
}

export function sweepModel(
  axis: SweepAxis,
  methodIds: readonly string[],
  points: readonly SweepPoint[],
  shown: Shown,
): SweepModel {
  const places = SWEEP_POINTS[axis]
  const own = points.filter((point) => point.axis === axis)
  const cells: Cell[] = []
  for (const point of own) {
    const column = places.indexOf(point.at)
    const row = methodIds.indexOf(point.methodId)
    if (column < 0 || row < 0) continue
    cells.push({ column, row, point, ...toldOf(point, shown) })
  }
  return {
    axis,
    places,
    methodIds,
    shown,
    cells: cells.sort((a, b) => a.row - b.row || a.column - b.column),
    breaks: methodIds.map((methodId) => breaksOf(axis, curveOf(own, methodId, shown), SEVERITY.clear)),
  }
}

function toldOf(point: SweepPoint, shown: Shown): Pick<Cell, 'severity' | 'text' | 'told' | 'value'> {
  const severity = pointSeverity(point, shown)
  if (shown === 'worst') {
    if (severity === undefined) return { severity, text: '?', told: 'too short to tell', value: undefined }
    const [worst] = findingsOf(point.measurement)
    if (!worst) return { severity, text: '', told: 'no harm audible', value: severity }
    const { id } = worst.artefact
    const told = `${artefactKind(id).label.toLowerCase()} ${foundFigureOf(worst)}`
    return { severity, text: SHORT[id], told: `worst: ${told}`, value: severity }
  }
  const artefact = point.measurement.artefacts.find(({ id }) => id === shown)
  if (!artefact?.measured) {
    const told = artefact?.short ? 'too short to tell' : 'nothing to measure it on'
    return { severity: undefined, text: artefact?.short ? '?' : '–', told, value: undefined }
  }
  const finding = findingOf(artefact)
  const digits = artefact.value < 10 ? 1 : 0
  return {
    severity,
    text: artefact.value.toFixed(digits),
    told: finding ? foundFigureOf(finding) : figureOf(artefact),
    value: artefact.value,
  }
}

/** Where a stretch or a pitch lies among the columns, which are counted from 0; between two by share of the way. */
export function columnOf(axis: SweepAxis, at: number): number {
  const places = SWEEP_POINTS[axis]
  const along = axis === 'pitch' ? (x: number) => x : Math.log
  const last = places.length - 1
  for (let n = 0; n < last; n++) {
    const low = along(places[n] as number)
    const high = along(places[n + 1] as number)
    if (along(at) <= high) return n + Math.max(0, (along(at) - low) / (high - low))
  }
  return last
}

/** A place as it is written under its column. */
export function placeText(axis: SweepAxis, at: number): string {
  if (axis !== 'pitch') return String(at)
  return at > 0 ? `+${at}` : String(at).replace('-', '−')
}

export const placeUnit = (axis: SweepAxis) => (axis === 'pitch' ? 'semitones' : '× length')

/** A place with its unit, as it is said. */
export const placeName = (axis: SweepAxis, at: number) => `${placeText(axis, at)} ${axis === 'pitch' ? 'st' : '×'}`

/** Where a method breaks, in words; `undefined` when it holds as far as was tried. */
export function breakText(axis: SweepAxis, { low, high }: Breaks): string {
  const written = (at: number) => placeName(axis, Number(at.toFixed(axis === 'pitch' ? 1 : 2)))
  const told = [low !== undefined && `below ${written(low)}`, high !== undefined && `above ${written(high)}`]
  const parts = told.filter((part) => part !== false)
  return parts.length === 0 ? 'holds as far as it was tried' : `clear harm ${parts.join(' and ')}`
}

/** Thresholds of what is drawn, on the curve's axis, with their names. */
export function thresholdsOf(shown: Shown): { readonly at: number; readonly name: string }[] {
  const values =
    shown === 'worst'
      ? [SEVERITY.audible, SEVERITY.clear, SEVERITY.severe]
      : [artefactKind(shown).audibleFrom, artefactKind(shown).clearFrom, artefactKind(shown).severeFrom]
  return ['audible', 'clear', 'severe'].map((name, n) => ({ name, at: values[n] as number }))
}
