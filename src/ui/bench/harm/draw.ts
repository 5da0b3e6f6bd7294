import type { ArtefactGroup } from '../../../core'
import type { View } from '../lanes/geometry'
import { GRADE_STEPS, GROUPS, type HarmMark, markPx } from './marks'

const ATTACK_ROW_PX = 9
export const ROW_PX = 6
/** rows from top to bottom, with a hair between them */
export const RIBBON_PX = ATTACK_ROW_PX + 3 * ROW_PX + 3

export interface Ribbon {
  readonly marks: readonly HarmMark[]
  readonly view: View
  readonly widthPx: number
  readonly stale: boolean
  readonly harm: string
  readonly rule: string
  readonly ground: string
}

export function rowOf(group: ArtefactGroup): { top: number; height: number } {
  const n = GROUPS.findIndex(({ id }) => id === group)
  return n === 0
    ? { top: 0, height: ATTACK_ROW_PX }
    : { top: ATTACK_ROW_PX + 1 + (n - 1) * (ROW_PX + 1), height: ROW_PX }
}

export function groupAt(y: number): ArtefactGroup {
  return (GROUPS.find(({ id }) => y < rowOf(id).top + rowOf(id).height + 1) ?? GROUPS[GROUPS.length - 1])
    ?.id as ArtefactGroup
}

/**
 * One row for each thing that suffers. How tall a mark is in its row says how bad it is, so colour is not needed to read it;
 * lost and repeated attacks and clicks have shapes of their own.
 */
export function drawRibbon(context: CanvasRenderingContext2D, ribbon: Ribbon): void {
  const { view, widthPx, marks, stale, harm, rule, ground } = ribbon
  context.clearRect(0, 0, widthPx, RIBBON_PX)
  context.globalAlpha = 1
  context.fillStyle = rule
  for (const { id } of GROUPS) {
    const { top, height } = rowOf(id)
    context.fillRect(0, top + height - 1, widthPx, 1)
  }
  for (const mark of marks) {
    const px = markPx(mark, view, widthPx)
    if (!px) continue
    const { top, height } = rowOf(mark.group)
    const base = top + height
    const centre = Math.round(px.left + px.width / 2)
    context.globalAlpha = stale ? 0.25 : 1
    context.fillStyle = harm
    context.strokeStyle = harm
    if (mark.id === 'lost-attacks') {
      // a ring: here is nothing
      context.fillStyle = ground
      context.beginPath()
      context.arc(centre, top + height / 2, 3.6, 0, 2 * Math.PI)
      context.fill()
      context.lineWidth = 1.8
      context.stroke()
    } else if (mark.id === 'extra-attacks') {
      // two strokes: here is one too many
      context.fillRect(centre - 3, top, 2, height)
      context.fillRect(centre + 1, top, 2, height)
    } else if (mark.id === 'clicks') {
      context.fillRect(centre - 1, top, 2, height)
    } else {
      const step = GRADE_STEPS[mark.grade]
      const tall = Math.round((height * step) / 3)
      context.globalAlpha = (stale ? 0.25 : 1) * (0.4 + 0.2 * step)
      context.fillRect(px.left, base - tall, px.width, tall)
    }
  }
  context.globalAlpha = 1
}
