import { exp, ln, log2 } from '../dsp/portable'
import { createRandom } from '../dsp/random'
import { FILTER_DB, type FilterPoint } from './drawnFilter'

/** Curves that need no drawing: each is plain points, to be drawn on. */

const LOWEST_HZ = 20
const HIGHEST_HZ = 20_000
/** how far a stop lies below what passes, dB */
const STOP_DB = -60

const within = (db: number) => Math.max(FILTER_DB.min, Math.min(FILTER_DB.max, db))

const rising = (points: readonly FilterPoint[]): FilterPoint[] => {
  const sorted = points
    .filter(({ hz }) => hz >= 1)
    .map(({ hz, db }) => ({ hz, db: within(db) }))
    .sort((a, b) => a.hz - b.hz)
  return sorted.filter(({ hz }, n) => n === 0 || hz > (sorted[n - 1] as FilterPoint).hz * 1.000001)
}

/** All below (`low`) or above (`high`) an edge; it goes down within so many octaves. */
export function passShape(side: 'low' | 'high', edgeHz: number, octaves = 1): FilterPoint[] {
  const away = exp(Math.LN2 * octaves)
  return side === 'low'
    ? rising([
        { hz: edgeHz, db: 0 },
        { hz: edgeHz * away, db: STOP_DB },
      ])
    : rising([
        { hz: edgeHz / away, db: STOP_DB },
        { hz: edgeHz, db: 0 },
      ])
}

/** What lies between two edges. */
export function bandShape(lowHz: number, highHz: number, octaves = 0.5): FilterPoint[] {
  const away = exp(Math.LN2 * octaves)
  return rising([
    { hz: lowHz / away, db: STOP_DB },
    { hz: lowHz, db: 0 },
    { hz: highHz, db: 0 },
    { hz: highHz * away, db: STOP_DB },
  ])
}

/** Teeth at the multiples of a frequency, so wide each. */
export function combShape(spacingHz: number, widthHz = spacingHz / 4, depthDb = STOP_DB): FilterPoint[] {
  const points: FilterPoint[] = []
  for (let hz = spacingHz; hz <= HIGHEST_HZ; hz += spacingHz)
    points.push(
      { hz: hz - spacingHz / 2, db: depthDb },
      { hz: hz - widthHz / 2, db: 0 },
      { hz: hz + widthHz / 2, db: 0 },
    )
  points.push({ hz: (points.at(-1)?.hz ?? spacingHz) + spacingHz / 2, db: depthDb })
  return rising(points)
}

/** So many dB an octave, 0 at a middle frequency. */
export function tiltShape(dbPerOctave: number, middleHz = 630): FilterPoint[] {
  return rising([LOWEST_HZ, HIGHEST_HZ].map((hz) => ({ hz, db: dbPerOctave * log2(hz / middleHz) })))
}

/** Peaks at random places, the same for the same seed. */
export function peaksShape(seed: number, count = 12, widthOctaves = 0.1): FilterPoint[] {
  const random = createRandom(seed)
  const span = ln(HIGHEST_HZ / LOWEST_HZ)
  const half = exp((Math.LN2 * widthOctaves) / 2)
  const peaks = Array.from({ length: count }, () => ({
    hz: LOWEST_HZ * exp(span * random()),
    db: -12 * random(),
  })).sort((a, b) => a.hz - b.hz)
  const points: FilterPoint[] = []
  peaks.forEach(({ hz, db }, n) => {
    const next = peaks[n + 1]
    const before = points.at(-1)
    if (!before || before.hz < hz / half) points.push({ hz: hz / half, db: STOP_DB })
    points.push({ hz, db })
    if (!next || next.hz / half > hz * half) points.push({ hz: hz * half, db: STOP_DB })
  })
  return rising(points)
}
