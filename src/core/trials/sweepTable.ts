import { artefactKind } from '../measure/artefacts'
import { gradeOfArtefact, SEVERITY } from '../measure/grading'
import { harmOf } from './advice'
import { breaksOf, curveOf, type SweepAxis, type SweepPoint } from './sweep'

/** A sweep as others can read it: one shape for the page's files and for the command. */

const round = (value: number, digits = 4) => Number(value.toFixed(digits))

/** What the axis counts in. */
const AXIS_UNITS: Readonly<Record<SweepAxis, string>> = {
  length: 'stretch',
  far: 'stretch',
  pitch: 'semitones',
}

/** Plain data: every point with every figure, and where each method breaks. `undefined` places are left out. */
export function sweepData(name: string, axis: SweepAxis, points: readonly SweepPoint[], sampleRate: number) {
  const own = sorted(points.filter((point) => point.axis === axis))
  const methodIds = [...new Set(own.map(({ methodId }) => methodId))]
  return {
    source: name,
    axis,
    unit: AXIS_UNITS[axis],
    breaks: methodIds.map((methodId) => {
      const curve = curveOf(own, methodId)
      const clear = breaksOf(axis, curve, SEVERITY.clear)
      const severe = breaksOf(axis, curve, SEVERITY.severe)
      const place = (at: number | undefined) => (at === undefined ? null : round(at))
      return {
        methodId,
        clear: { low: place(clear.low), high: place(clear.high) },
        severe: { low: place(severe.low), high: place(severe.high) },
      }
    }),
    points: own.map(({ at, methodId, measurement, span }) => ({
      at,
      methodId,
      harm: round(harmOf(measurement)),
      tried: { fromSeconds: round(span.from / sampleRate), toSeconds: round(span.to / sampleRate) },
      artefacts: measurement.artefacts.map((artefact) => ({
        id: artefact.id,
        value: round(artefact.value),
        unit: artefactKind(artefact.id).unit,
        audibleFrom: artefactKind(artefact.id).audibleFrom,
        grade: gradeOfArtefact(artefact),
        measured: artefact.measured,
        ...(artefact.short && { short: true }),
        ...(artefact.local && { places: artefact.local.count, worst: round(artefact.local.worst.value) }),
      })),
    })),
  }
}

/** The same figures as a table: a line for each point and kind of harm, for a spreadsheet. */
export function sweepCsv(axis: SweepAxis, points: readonly SweepPoint[]): string {
  const lines = [`${AXIS_UNITS[axis]},method,artefact,value,unit,audible from,grade`]
  for (const { at, methodId, measurement } of sorted(points.filter((point) => point.axis === axis))) {
    for (const artefact of measurement.artefacts) {
      if (!artefact.measured) continue
      const { id, value } = artefact
      const { unit, audibleFrom } = artefactKind(id)
      lines.push([at, methodId, id, round(value), unit, audibleFrom, gradeOfArtefact(artefact)].join(','))
    }
  }
  return `${lines.join('\r\n')}\r\n`
}

const sorted = (points: readonly SweepPoint[]) =>
  [...points].sort((a, b) => a.at - b.at || (a.methodId < b.methodId ? -1 : a.methodId > b.methodId ? 1 : 0))
