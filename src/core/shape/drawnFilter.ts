import { complexFft } from '../dsp/fft'
import { ln } from '../dsp/portable'
import { lowerBound } from '../dsp/search'
import { dbToGain } from '../dsp/units'
import { kaiser, kaiserBeta } from '../dsp/window'
import { AppError } from '../errors'

/**
 * A gain over the spectrum, as it was drawn: between two points dB go evenly over log Hz, outside they stay. Plain
 * data.
 */
export interface DrawnFilter {
  /** rising in Hz */
  readonly points: readonly FilterPoint[]
  /** on the source before it is stretched, or on the result */
  readonly at: 'before' | 'after'
  /** how fine it is in Hz, `FINE_RANGE`; without it as fine as its steepest slope asks */
  readonly fineHz?: number | undefined
}

export interface FilterPoint {
  readonly hz: number
  readonly db: number
}

export const FILTER_HZ = { min: 1, max: 192_000 } as const
export const FILTER_DB = { min: -120, max: 24 } as const
export const FINE_RANGE = { min: 2, max: 200 } as const
export const MOST_FILTER_POINTS = 20_000

/** what leaks from one frequency to all others, below the loudest */
const ATTENUATION_DB = 120
/** dB that the curve may rise or fall within one fineness */
const DB_WITHIN = 4
/** without slopes nothing has to be fine */
const COARSE_HZ = 50

/**
 * Check a filter that came from outside.
 * @throws {AppError} `filter/json` saying which point does not hold.
 */
export function checkFilter(filter: DrawnFilter, file = 'the filter'): DrawnFilter {
  const wrong = (why: string) => new AppError('filter/json', { file, why })
  const { points, fineHz, at } = filter
  if (points.length < 1) throw wrong('it needs one point at least')
  if (points.length > MOST_FILTER_POINTS) throw wrong(`it takes ${MOST_FILTER_POINTS} points at most`)
  points.forEach(({ hz, db }, n) => {
    if (!(hz >= FILTER_HZ.min && hz <= FILTER_HZ.max))
      throw wrong(`point ${n + 1} needs "hz" from ${FILTER_HZ.min} to ${FILTER_HZ.max}`)
    if (!(db >= FILTER_DB.min && db <= FILTER_DB.max))
      throw wrong(`point ${n + 1} needs "db" from ${FILTER_DB.min} to ${FILTER_DB.max}`)
    if (n > 0 && !(hz > (points[n - 1] as FilterPoint).hz))
      throw wrong(`point ${n + 1} does not lie above the one before`)
  })
  if (at !== 'before' && at !== 'after') throw wrong('"at" is neither before nor after')
  if (fineHz !== undefined && !(fineHz >= FINE_RANGE.min && fineHz <= FINE_RANGE.max))
    throw wrong(`"fineHz" goes from ${FINE_RANGE.min} to ${FINE_RANGE.max}`)
  return filter
}

/**
 * Read a filter that came as JSON text: `{"points":[{"hz":200,"db":0}, …],"fineHz":2}`. See docs/filters.md.
 * @throws {AppError} `filter/json`
 */
export function readFilter(text: string, file: string, at: DrawnFilter['at']): DrawnFilter {
  let read: unknown
  try {
    read = JSON.parse(text)
  } catch (error) {
    throw new AppError('filter/json', { file, why: 'it is not JSON' }, error)
  }
  const given = Array.isArray(read)
    ? { points: read }
    : ((read ?? {}) as { points?: unknown; fineHz?: unknown; at?: unknown })
  if (!Array.isArray(given.points) || given.points.some((point) => typeof point !== 'object' || point === null))
    throw new AppError('filter/json', { file, why: 'it has no list of "points"' })
  const { fineHz } = given as { fineHz?: unknown }
  if (fineHz !== undefined && typeof fineHz !== 'number')
    throw new AppError('filter/json', { file, why: '"fineHz" is no number' })
  const points = given.points.map(({ hz, db }) => ({ hz, db }))
  return checkFilter({ points, at, ...(fineHz !== undefined && { fineHz }) }, file)
}

/** Whether a filter does nothing at all. */
export const isFlat = ({ points }: DrawnFilter) => points.every(({ db }) => db === 0)

/** The drawn gain at a frequency, dB. */
export function drawnDb(filter: DrawnFilter, hz: number): number {
  return gainReader(filter)(hz)
}

function gainReader({ points }: DrawnFilter): (hz: number) => number {
  const places = points.map((point) => ln(point.hz))
  return (hz) => {
    const first = points[0] as FilterPoint
    if (hz <= first.hz) return first.db
    const n = lowerBound(places, ln(hz))
    const right = points[n]
    if (!right) return (points.at(-1) as FilterPoint).db
    const left = points[n - 1] as FilterPoint
    const share = (ln(hz) - (places[n - 1] as number)) / ((places[n] as number) - (places[n - 1] as number))
    return left.db + share * (right.db - left.db)
  }
}

/** How fine a filter is made, Hz: as it asks, else by its steepest slope. */
export function fineHzOf({ points, fineHz }: DrawnFilter): number {
  if (fineHz !== undefined) return fineHz
  let fine = COARSE_HZ
  points.forEach(({ hz, db }, n) => {
    const before = points[n - 1]
    if (!before || before.db === db) return
    // dB go evenly over log Hz: the slope per Hz is steepest at the lower end
    const dbPerHz = Math.abs(db - before.db) / (ln(hz / before.hz) * before.hz)
    fine = Math.min(fine, DB_WITHIN / dbPerHz)
  })
  return Math.max(FINE_RANGE.min, fine)
}

/** Frames that a filter looks ahead, and behind: what it would be late by, were that not made up for. */
export function filterReach(filter: DrawnFilter, sampleRate: number): number {
  const width = (ATTENUATION_DB - 8) / (2.285 * 2 * Math.PI)
  return Math.ceil((width * sampleRate) / fineHzOf(filter) / 2)
}

const kernelsMade = new Map<string, Float32Array>()
const MOST_KEPT = 8

/**
 * The filter as a symmetric impulse response, `[2 × reach + 1]`: linear phase, its middle at `reach`.
 * Source  the window method with Kaiser's window (1974), from the drawn gain on a grid twice as fine as the window.
 */
export function filterKernel(filter: DrawnFilter, sampleRate: number): Float32Array {
  const key = `${sampleRate} ${JSON.stringify(filter.points)} ${filter.fineHz ?? ''}`
  const known = kernelsMade.get(key)
  if (known) return known
  const kernel = newKernel(filter, sampleRate)
  const oldest = kernelsMade.keys().next().value
  if (kernelsMade.size >= MOST_KEPT && oldest !== undefined) kernelsMade.delete(oldest)
  kernelsMade.set(key, kernel)
  return kernel
}

function newKernel(filter: DrawnFilter, sampleRate: number): Float32Array {
  const reach = filterReach(filter, sampleRate)
  let size = 64
  while (size < 4 * reach) size *= 2
  const fft = complexFft(size)
  const spectrum = fft.create()
  const response = fft.create()
  const dbAt = gainReader(filter)
  for (let k = 0; k <= size / 2; k++) {
    const gain = dbToGain(dbAt((k * sampleRate) / size))
    spectrum[2 * k] = gain
    if (k > 0 && k < size / 2) spectrum[2 * (size - k)] = gain
  }
  fft.inverse(response, spectrum)
  const beta = kaiserBeta(ATTENUATION_DB)
  return Float32Array.from({ length: 2 * reach + 1 }, (_, i) => {
    const n = i - reach
    return (response[2 * ((n + size) % size)] as number) * kaiser(n / (reach + 1), beta)
  })
}
