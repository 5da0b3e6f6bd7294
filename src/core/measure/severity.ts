import { type Artefact, type ArtefactId, artefactKind } from './artefacts'
import type { Measurement } from './measure'

/** On the scale of `severityOf`: from here on a kind of harm is audible, clear, severe. */
export const SEVERITY = { audible: 1, clear: 2, severe: 3 } as const

/**
 * How bad a figure is on one scale for all kinds: 0 none, 1 just audible, 2 just clear, 3 just severe, and in between by
 * share of the way; beyond, one more for each doubling.
 */
export function severityOf(id: ArtefactId, value: number): number {
  const { audibleFrom, clearFrom, severeFrom } = artefactKind(id)
  if (value <= 0) return 0
  if (value < audibleFrom) return value / audibleFrom
  if (value < clearFrom) return 1 + (value - audibleFrom) / (clearFrom - audibleFrom)
  if (value < severeFrom) return 2 + (value - clearFrom) / (severeFrom - clearFrom)
  return 3 + Math.log2(value / severeFrom)
}

/** The kind of harm that stands out most in a measurement, and how bad it is; undefined where nothing could be measured. */
export function worstOf({ artefacts }: Measurement): { artefact: Artefact; severity: number } | undefined {
  let worst: { artefact: Artefact; severity: number } | undefined
  for (const artefact of artefacts) {
    if (!artefact.measured) continue
    const severity = severityOf(artefact.id, artefact.value)
    if (!worst || severity > worst.severity) worst = { artefact, severity }
  }
  return worst
}
