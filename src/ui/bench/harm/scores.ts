import {
  type ArtefactId,
  type ArtefactKind,
  artefactKinds,
  harmOf,
  severityOfArtefact,
  type Trial,
} from '../../../core'

/** One row of the scorecard: a variant with what was measured of it. */
export interface ScoreRow {
  readonly variantId: string
  readonly trial: Trial | undefined
}

export type SortBy = ArtefactId | 'letter' | 'harm'

const figureFor = (row: ScoreRow, id: ArtefactId) =>
  row.trial?.measurement.artefacts.find((artefact) => artefact.id === id && artefact.measured)?.value

/** Kinds that anything can be said about here, the worst anywhere first, as they are graded. */
export function columnsOf(rows: readonly ScoreRow[]): ArtefactKind[] {
  const worst = (id: ArtefactId) =>
    Math.max(
      -1,
      ...rows.map((row) => {
        const artefact = row.trial?.measurement.artefacts.find((one) => one.id === id && one.measured)
        return artefact ? severityOfArtefact(artefact) : -1
      }),
    )
  return artefactKinds
    .map((kind) => ({ kind, worst: worst(kind.id) }))
    .filter((column) => column.worst >= 0)
    .sort((a, b) => b.worst - a.worst)
    .map((column) => column.kind)
}

/** Rows in order: as they are lettered, or the worst of one figure first; what is not measured comes last. */
export function sortRows<Row extends ScoreRow>(rows: readonly Row[], by: SortBy): Row[] {
  if (by === 'letter') return [...rows]
  const of = (row: Row) => (by === 'harm' ? row.trial && harmOf(row.trial.measurement) : figureFor(row, by))
  return [...rows].sort((a, b) => (of(b) ?? -1) - (of(a) ?? -1))
}
