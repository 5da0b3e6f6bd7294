import { AppError } from '../errors'
import type { Pin } from './pins'

const MOST_PINS = 20_000

/**
 * Read pins from JSON: `{"pins":[{"source":0.5,"to":0.47}, …]}`, seconds of the source and of its own time; `by` in
 * place of `to` says by how much, seconds.
 * @throws {AppError} `pins/json` saying what is wrong.
 */
export function readPins(text: string, file: string): Pin[] {
  const wrong = (why: string, cause?: unknown) => new AppError('pins/json', { file, why }, cause)
  let read: { pins?: unknown } | null
  try {
    read = JSON.parse(text)
  } catch (error) {
    throw wrong('it is not JSON', error)
  }
  const list = Array.isArray(read) ? read : read?.pins
  if (!Array.isArray(list)) throw wrong('it has no list of "pins"')
  if (list.length > MOST_PINS) throw wrong(`it has ${list.length} pins; ${MOST_PINS} are the most`)
  const pins = list.map((one: Record<string, unknown> | null, n): Pin => {
    const { source, to, by } = one ?? {}
    const at = `pin ${n + 1}`
    if (typeof source !== 'number' || !(source >= 0)) throw wrong(`${at} needs "source" in seconds, 0 or more`)
    const own = typeof to === 'number' ? to : typeof by === 'number' ? source + by : undefined
    if (own === undefined || !Number.isFinite(own)) throw wrong(`${at} needs "to" or "by" in seconds`)
    if (own < 0) throw wrong(`${at} would lie before the start`)
    return { source, own }
  })
  pins.sort((a, b) => a.source - b.source)
  pins.forEach((pin, n) => {
    const before = pins[n - 1]
    if (!before) return
    if (!(pin.source > before.source)) throw wrong(`two pins tie ${pin.source} s`)
    if (!(pin.own > before.own)) throw wrong(`the pin at ${pin.source} s would pass the one at ${before.source} s`)
  })
  return pins
}
