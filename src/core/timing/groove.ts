import { AppError } from '../errors'
import { meanBpm, type OwnBeats } from '../timeline/ownBeats'
import { GRIDS, type GridName, type Groove, isGridName, openGrid, STRAIGHT_SWING } from './grid'
import { type Hit, medianOf } from './hits'

export const MOST_GROOVE_BARS = 8

export interface GrooveShape {
  readonly grid: GridName
  readonly beatsPerBar: number
  /** 1 to `MOST_GROOVE_BARS` */
  readonly bars: number
}

/**
 * Take the groove of a source: for each step of its bars the median of how far the hits that belong there lie off the
 * straight grid. A step's hit is the strongest of those nearest to it, so that a grace note has no say.
 * @throws {AppError} `groove/none` where no hit has a step.
 */
export function takeGroove(hits: readonly Hit[], own: OwnBeats, { grid, beatsPerBar, bars }: GrooveShape): Groove {
  const open = openGrid({ grid, swing: STRAIGHT_SWING }, own)
  const length = Math.round(bars * beatsPerBar * open.stepsPerBeat)
  const strongest = new Map<number, Hit>()
  for (const hit of hits) {
    const step = open.nearest(hit.seconds)
    if (hit.strength > (strongest.get(step)?.strength ?? -1)) strongest.set(step, hit)
  }
  const found: number[][] = Array.from({ length }, () => [])
  for (const [step, { seconds }] of strongest) {
    const beat = open.straightAt(step + 1) - open.straightAt(step)
    const index = ((step % length) + length) % length
    found[index]?.push((seconds - open.straightAt(step)) / (beat * open.stepsPerBeat))
  }
  if (strongest.size === 0) throw new AppError('groove/none')
  const offsets = found.map((values) => (values.length > 0 ? medianOf(values) : null))
  return {
    grid,
    beatsPerBar,
    bars,
    offsets,
    spreads: found.map((values, n) =>
      values.length > 0 ? medianOf(values.map((value) => Math.abs(value - (offsets[n] as number)))) : null,
    ),
    counts: found.map((values) => values.length),
    bpm: 'bpm' in own ? own.bpm : meanBpm(own.seconds),
  }
}

/** A share of a beat in ms at the tempo that the groove was taken at. */
const msOf = (beats: number, bpm: number) => (60_000 * beats) / bpm
const rounded = (value: number, digits: number) => Number(value.toFixed(digits))

/** A groove as JSON (docs/maps.md). */
export function grooveJson(groove: Groove, name: string): string {
  const { grid, beatsPerBar, bars, bpm, offsets, spreads, counts } = groove
  return `${JSON.stringify(
    {
      version: 1,
      name,
      grid,
      beatsPerBar,
      bars,
      bpm: rounded(bpm, 4),
      steps: offsets.flatMap((offset, step) =>
        offset === null
          ? []
          : [
              {
                step,
                offsetBeats: rounded(offset, 6),
                offsetMs: rounded(msOf(offset, bpm), 3),
                spreadMs: rounded(msOf(spreads[step] ?? 0, bpm), 3),
                hits: counts[step] ?? 0,
              },
            ],
      ),
    },
    null,
    1,
  )}\n`
}

/**
 * Read a groove from JSON. Of a step, `offsetBeats` counts, or where there is none `offsetMs` at the groove's `bpm`.
 * @throws {AppError} `groove/json` saying what is wrong.
 */
export function readGroove(text: string, file: string): Groove {
  const wrong = (why: string, cause?: unknown) => new AppError('groove/json', { file, why }, cause)
  let read: Record<string, unknown>
  try {
    read = JSON.parse(text)
  } catch (error) {
    throw wrong('it is not JSON', error)
  }
  if (typeof read !== 'object' || read === null) throw wrong('it is no object')
  const { grid = '1/16', beatsPerBar = 4, bars = 1, bpm, steps } = read
  if (typeof grid !== 'string' || !isGridName(grid)) throw wrong(`"grid" takes ${Object.keys(GRIDS).join(', ')}`)
  if (!isWhole(beatsPerBar, 1, 32)) throw wrong('"beatsPerBar" must be whole, 1 to 32')
  if (!isWhole(bars, 1, MOST_GROOVE_BARS)) throw wrong(`"bars" must be whole, 1 to ${MOST_GROOVE_BARS}`)
  if (bpm !== undefined && !(typeof bpm === 'number' && bpm >= 5 && bpm <= 1000)) throw wrong('"bpm" must be 5 to 1000')
  if (!Array.isArray(steps)) throw wrong('it has no list of "steps"')
  const length = Math.round(bars * beatsPerBar * GRIDS[grid])
  const offsets: (number | null)[] = Array(length).fill(null)
  const spreads: (number | null)[] = Array(length).fill(null)
  const counts: number[] = Array(length).fill(0)
  steps.forEach((one: Record<string, unknown> | null, n) => {
    const at = `step ${n + 1} of the list`
    const { step, offsetBeats, offsetMs, spreadMs, hits } = one ?? {}
    if (!isWhole(step, 0, length - 1)) throw wrong(`${at} needs a "step" from 0 to ${length - 1}`)
    const beats =
      typeof offsetBeats === 'number'
        ? offsetBeats
        : typeof offsetMs === 'number' && typeof bpm === 'number'
          ? (offsetMs * bpm) / 60_000
          : undefined
    if (beats === undefined) throw wrong(`${at} needs "offsetBeats", or "offsetMs" and a "bpm" of the groove`)
    if (!(Math.abs(beats) * GRIDS[grid] <= 1)) throw wrong(`${at} lies more than a step off its place`)
    offsets[step] = beats
    spreads[step] = typeof spreadMs === 'number' && typeof bpm === 'number' ? (spreadMs * bpm) / 60_000 : 0
    counts[step] = typeof hits === 'number' && hits > 0 ? Math.round(hits) : 1
  })
  if (counts.every((count) => count === 0)) throw wrong('its list of "steps" is empty')
  return { grid, beatsPerBar, bars, offsets, spreads, counts, bpm: typeof bpm === 'number' ? bpm : 120 }
}

const isWhole = (value: unknown, least: number, most: number): value is number =>
  Number.isInteger(value) && (value as number) >= least && (value as number) <= most
