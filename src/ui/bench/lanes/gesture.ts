/** What a pointer takes hold of when it is pressed on the lanes. */
export interface Hold {
  /** the end of the range that stays, source frame */
  readonly fixed: number
  /** where the pointer was pressed, source frame */
  readonly frame: number
  /** an end of the selection, which may be let go without having been moved; else it may become a click */
  readonly isEdge: boolean
}

const EDGE_PX = 6

/** Press on the lanes: near an end of the selection, or with Shift, the nearer end is taken hold of. */
export function press(
  x: number,
  frame: number,
  edges: { startX: number; endX: number; start: number; end: number } | undefined,
  extend: boolean,
): Hold {
  if (edges) {
    const toStart = Math.abs(x - edges.startX)
    const toEnd = Math.abs(x - edges.endX)
    if (Math.min(toStart, toEnd) <= EDGE_PX || extend)
      return { fixed: toStart < toEnd ? edges.end : edges.start, frame, isEdge: true }
  }
  return { fixed: frame, frame, isEdge: false }
}

/** The range that reaches from what stays to where the pointer is, in order. */
export const rangeOf = ({ fixed }: Hold, frame: number) => ({
  start: Math.min(fixed, frame),
  end: Math.max(fixed, frame),
})
