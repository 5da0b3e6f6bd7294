/**
 * Make a canvas ready to be drawn on in CSS pixels, sharp on any screen; `colour` looks up the theme's names.
 * @returns undefined while there is nothing to draw on.
 */
export function sharpCanvas(element: HTMLCanvasElement | null, widthPx: number, heightPx: number) {
  const context = element?.getContext('2d')
  if (!element || !context || widthPx < 1) return undefined
  const ratio = window.devicePixelRatio || 1
  element.width = Math.round(widthPx * ratio)
  element.height = Math.round(heightPx * ratio)
  context.setTransform(ratio, 0, 0, ratio, 0, 0)
  const style = getComputedStyle(element)
  return { context, colour: (name: string) => style.getPropertyValue(name).trim() }
}
