import { type PointerEvent, useRef } from 'react'

/** how far a pressed pointer moves before it drags, px: until then it may still be a click */
const START_PX = 3

let marks = 0
/** The name of one gesture: all changes that bear it are one step of undo. */
export const newGesture = (of: string) => `${of}-${++marks}`

export interface Drag<Start> {
  /** what was taken hold of */
  readonly start: Start
  /** how far it has been moved along its axis, px */
  readonly byPx: number
  /** false as long as it may still be a click */
  readonly moved: boolean
  readonly gesture: string
}

/**
 * One thing dragged with a pointer, which is kept until it is let go, wherever it goes.
 * `begin` says what is taken hold of, or nothing. `move` is told of every step from where it is a drag.
 * `end` is told of letting go, dragged or only clicked.
 */
export function useDrag<Start, Of extends Element = HTMLElement>(
  name: string,
  on: {
    /** which way it is dragged: sideways where it is not said */
    readonly axis?: 'x' | 'y' | 'either'
    begin(event: PointerEvent<Of>): Start | undefined
    move?(event: PointerEvent<Of>, drag: Drag<Start>): void
    end?(event: PointerEvent<Of>, drag: Drag<Start>): void
  },
) {
  const held = useRef<{ from: number; other: number; drag: Drag<Start> } | undefined>(undefined)
  const along = (event: PointerEvent<Of>) => (on.axis === 'y' ? event.clientY : event.clientX)
  return {
    onPointerDown(event: PointerEvent<Of>) {
      if (event.button !== 0) return
      const start = on.begin(event)
      if (start === undefined) return
      event.currentTarget.setPointerCapture(event.pointerId)
      held.current = {
        from: along(event),
        other: event.clientY,
        drag: { start, byPx: 0, moved: false, gesture: newGesture(name) },
      }
    },
    onPointerMove(event: PointerEvent<Of>) {
      const now = held.current
      if (!now) return
      const byPx = along(event) - now.from
      const far = on.axis === 'either' ? Math.max(Math.abs(byPx), Math.abs(event.clientY - now.other)) : Math.abs(byPx)
      if (!now.drag.moved && far < START_PX) return
      now.drag = { ...now.drag, byPx, moved: true }
      on.move?.(event, now.drag)
    },
    onPointerUp(event: PointerEvent<Of>) {
      const now = held.current
      held.current = undefined
      if (now) on.end?.(event, now.drag)
    },
    onPointerCancel() {
      held.current = undefined
    },
  }
}
