/** Text on screen that is told again and again is written so often, ms: faster than it can be read. */
export const TEXT_MS = 60

/**
 * Draw now, and again in every animation frame, or each so many milliseconds, until it is stopped or there is nothing
 * more to draw.
 * @param draw  says whether it is to be called again.
 * @returns stops it.
 */
export function eachFrame(draw: () => boolean, everyMs = 0): () => void {
  let handle = 0
  let last = Number.NEGATIVE_INFINITY
  const frame = (now: number) => {
    if (now - last >= everyMs) {
      last = now
      if (!draw()) return
    }
    handle = requestAnimationFrame(frame)
  }
  if (draw()) handle = requestAnimationFrame(frame)
  return () => cancelAnimationFrame(handle)
}

/** Write a text where it differs: writing the same would have the page laid out anew. */
export function writeText(element: HTMLElement | null, text: string) {
  if (element && element.textContent !== text) element.textContent = text
}

/** what drawings may take of a frame together, ms */
const BUDGET_MS = 8

const waiting = new Map<object, () => void>()
let isAwaited = false

function drawWaiting() {
  isAwaited = false
  const end = performance.now() + BUDGET_MS
  for (const [key, draw] of waiting) {
    waiting.delete(key)
    draw()
    if (performance.now() >= end) break
  }
  if (waiting.size > 0) callNext()
}

function callNext() {
  if (isAwaited) return
  isAwaited = true
  requestAnimationFrame(drawWaiting)
}

/**
 * Have something drawn in one of the next frames: many drawings are shared out, so that none of them holds up the page.
 * @param key  what is drawn: a later drawing of the same takes the place of one that waits.
 * @returns takes it back.
 */
export function drawSoon(key: object, draw: () => void): () => void {
  waiting.delete(key)
  waiting.set(key, draw)
  callNext()
  return () => {
    if (waiting.get(key) === draw) waiting.delete(key)
  }
}
