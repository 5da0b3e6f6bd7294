import {
  type Artefact,
  type ArtefactGroup,
  type ArtefactId,
  artefactKind,
  type HeardPlace,
  heardPlacesOf,
  type Place,
} from '../../../core'
import { type View, xOf } from '../lanes/geometry'

/** A piece of harm as it is shown under a lane. */
export interface HarmMark {
  readonly id: ArtefactId
  readonly group: ArtefactGroup
  /** source frames, end exclusive; one frame for a moment */
  readonly start: number
  readonly end: number
  readonly value: number
  readonly grade: HeardPlace['grade']
}

export const GROUPS: readonly { readonly id: ArtefactGroup; readonly label: string }[] = [
  { id: 'attacks', label: 'attacks' },
  { id: 'tones', label: 'tones' },
  { id: 'noise', label: 'noise' },
  { id: 'level', label: 'level' },
]

export const GRADE_STEPS: Readonly<Record<HarmMark['grade'], number>> = { slight: 1, clear: 2, severe: 3 }

/** The places of all that is heard, as the one grading has them. Rising by start. */
export function marksOf(artefacts: readonly Artefact[]): HarmMark[] {
  const marks: HarmMark[] = []
  for (const artefact of artefacts) {
    const { id } = artefact
    for (const place of heardPlacesOf(artefact)) {
      marks.push({
        id,
        group: artefactKind(id).group,
        ...rangeOfPlace(place),
        value: place.value,
        grade: place.grade,
      })
    }
  }
  return marks.sort((a, b) => a.start - b.start)
}

/** The source frames that a place stands for, end exclusive. */
export function rangeOfPlace({ sourceFrame, spanFrames }: Pick<Place, 'sourceFrame' | 'spanFrames'>) {
  const half = Math.max(0.5, spanFrames / 2)
  return { start: sourceFrame - half, end: sourceFrame + half }
}

const LEAST_PX = 3

/** Where a mark is drawn, px; undefined where it is out of view. */
export function markPx(mark: HarmMark, view: View, widthPx: number): { left: number; width: number } | undefined {
  const from = xOf(view, mark.start, widthPx)
  const to = xOf(view, mark.end, widthPx)
  const width = Math.max(LEAST_PX, to - from)
  const left = (from + to) / 2 - width / 2
  return left + width < 0 || left > widthPx ? undefined : { left, width }
}

/** The mark under a point of a row, the worst of several; a few pixels beside it will do. */
export function markAt(
  marks: readonly HarmMark[],
  group: ArtefactGroup,
  x: number,
  view: View,
  widthPx: number,
): HarmMark | undefined {
  let best: HarmMark | undefined
  for (const mark of marks) {
    if (mark.group !== group) continue
    const px = markPx(mark, view, widthPx)
    if (!px || x < px.left - 3 || x > px.left + px.width + 3) continue
    if (!best || GRADE_STEPS[mark.grade] > GRADE_STEPS[best.grade]) best = mark
  }
  return best
}
