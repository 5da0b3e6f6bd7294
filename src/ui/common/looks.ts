import { methods } from '../../core'

/** The nine shapes, as paths in a box of 24: what is told apart by colour is told apart by shape as well. */
export const SHAPES: readonly string[] = [
  'M12 2a10 10 0 1 1 0 20a10 10 0 1 1 0-20z',
  'M12 1L23 12L12 23L1 12z',
  'M3 3h18v18H3z',
  'M12 1.5L23 22H1z',
  'M7 2h10l6 10l-6 10H7L1 12z',
  'M12 1l10.5 7.6l-4 12.9h-13l-4-12.9z',
  'M1 3h22L12 22.5z',
  'M6 1h12l5 5v12l-5 5H6l-5-5V6z',
  'M5 5h18l-4 14H1z',
]

/** Which of the looks a method has, in every view; two lanes of one method are told apart by their letters. */
export const methodLook = (methodId: string) =>
  Math.max(
    0,
    methods.findIndex(({ id }) => id === methodId),
  ) % SHAPES.length

/** The colour of a method; of the source as it is where there is none. */
export function laneColour(methodId: string | undefined): string {
  return methodId === undefined ? 'var(--lane-ref)' : `var(--lane-${methodLook(methodId) + 1})`
}

/** A shape as a mark in a chart. */
export const chartMark = (look: number) => `path://${SHAPES[look % SHAPES.length]}`
