/** What a pointer does on the lanes, as a small machine without a browser: press, then drag or let go. */
export type Gesture =
  | { readonly kind: 'idle' }
  /** pressed, and not yet moved far enough to be a drag */
  | { readonly kind: 'pressing'; readonly x: number; readonly frame: number }
  /** drawing a selection from a fixed end */
  | { readonly kind: 'selecting'; readonly fixed: number; readonly frame: number }

export const IDLE: Gesture = { kind: 'idle' }
const DRAG_START_PX = 4
const EDGE_PX = 6

/** Press on the lanes: near an end of the selection it takes hold of that end. */
export function press(
  x: number,
  frame: number,
  edges: { startX: number; endX: number; start: number; end: number } | undefined,
  extend: boolean,
): Gesture {
  if (edges) {
    const toStart = Math.abs(x - edges.startX)
    const toEnd = Math.abs(x - edges.endX)
    if (Math.min(toStart, toEnd) <= EDGE_PX || extend) {
      return { kind: 'selecting', fixed: toStart < toEnd ? edges.end : edges.start, frame }
    }
  }
  return { kind: 'pressing', x, frame }
}

export function move(gesture: Gesture, x: number, frame: number): Gesture {
  if (gesture.kind === 'pressing' && Math.abs(x - gesture.x) >= DRAG_START_PX) {
    return { kind: 'selecting', fixed: gesture.frame, frame }
  }
  return gesture.kind === 'selecting' ? { ...gesture, frame } : gesture
}

/** The range that a selecting gesture spans, in order. */
export function rangeOf(gesture: Gesture): { start: number; end: number } | undefined {
  if (gesture.kind !== 'selecting') return undefined
  return { start: Math.min(gesture.fixed, gesture.frame), end: Math.max(gesture.fixed, gesture.frame) }
}
