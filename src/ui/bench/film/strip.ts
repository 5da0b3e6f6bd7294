import type { View } from '../lanes/geometry'

/** The film strip as numbers: thumbnails across, each the picture at its left edge. */

export const FILM_PX = 78

export interface Still {
  readonly x: number
  /** of the film */
  readonly seconds: number
}

/**
 * Where thumbnails lie, and what each shows.
 * @param secondsAt  the second of the film at a frame of the source.
 */
export function stillsOf(
  widthPx: number,
  thumbPx: number,
  view: View,
  secondsAt: (frame: number) => number,
  filmSeconds: number,
): Still[] {
  const stills: Still[] = []
  for (let x = 0; x < widthPx; x += thumbPx) {
    const seconds = secondsAt(view.start + (x / widthPx) * view.span)
    if (seconds >= 0 && seconds < filmSeconds) stills.push({ x, seconds })
  }
  return stills
}

/** Hours only where there are any; the last figure counts pictures. */
export function pictureText(seconds: number, rate: number): string {
  const pictures = Math.max(0, Math.floor(seconds * rate + 1e-3))
  const whole = Math.floor(pictures / rate + 1e-6)
  const left = pictures - Math.ceil(whole * rate - 1e-6)
  const two = (value: number) => String(value).padStart(2, '0')
  const minutes = Math.floor(whole / 60)
  const hours = Math.floor(minutes / 60)
  return `${hours > 0 ? `${hours}:${two(minutes % 60)}` : minutes}:${two(whole % 60)}·${two(left)}`
}
