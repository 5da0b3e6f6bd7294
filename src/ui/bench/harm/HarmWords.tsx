import type { ReactNode } from 'react'
import {
  artefactKind,
  type Finding,
  figureOf,
  findingsOf,
  gradeOf,
  isTold,
  type Measurement,
  verdictOf,
} from '../../../core'

/** The figure of the whole where that is heard, else in how many places it is. */
const shortFigure = ({ artefact, local }: Finding) =>
  local && gradeOf(artefact.id, artefact.value) === 'not audible'
    ? `in ${local.count === 1 ? 'one place' : `${local.count} places`}`
    : figureOf(artefact)

/** The worst that was measured, in a few words, between what stands before and after them; all of it in the tooltip. */
export function HarmWords({
  measurement,
  sampleRate = 48_000,
  children,
  after,
}: {
  readonly measurement: Measurement
  readonly sampleRate: number | undefined
  readonly children?: ReactNode
  readonly after?: ReactNode
}) {
  const [worst, ...others] = findingsOf(measurement)
  return (
    <span className="max-w-full truncate text-[12px]" title={verdictOf(measurement, sampleRate)}>
      {children}
      {worst ? (
        <span className={worst.grade === 'slight' ? 'text-soft' : 'text-trouble'}>
          {worst.artefact.id === 'clicks' ? '' : `${artefactKind(worst.artefact.id).label} `}
          {shortFigure(worst)}
        </span>
      ) : (
        <span className="text-soft">{isTold(measurement) ? 'no harm is audible' : 'too short to tell'}</span>
      )}
      {others.length > 0 && <span className="text-faint"> +{others.length}</span>}
      {after}
    </span>
  )
}
