import { ALL_NEEDS, type Analysis, type Attack, analyseTask } from '../analysis/analysis'
import type { AudioBlock } from '../audio/block'
import type { SoundSource } from '../audio/soundSource'
import { readSource, type SourceReading } from '../measure/measure'
import type { Join } from '../render/joins'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import { partOf, type Task } from '../task'
import { asSource } from '../timeline/axes'
import { harmOf } from './advice'
import { type Handover, handoversOf } from './handovers'
import { type ReadPart, trialTask } from './trial'

/** a stretch of time that lanes are held against each other over: of the result, and of the source, s */
const LEAST_RESULT_SECONDS = 1
const LEAST_SOURCE_SECONDS = 0.35
/** what a handover costs, in harm times seconds of the result, by what hides it */
const COST: Readonly<Record<Handover['hides'], number>> = { attack: 0.25, silence: 0.1, quiet: 1 }

/** what comes so near the least at a first look is looked at in full, of no more than so many */
const NEAR = 1.4
const NEAR_AT_LEAST = 0.5
const MOST_NEAR = 3

/** What came of holding lanes against each other, place by place. Plain data. */
export interface JoinedLanes {
  /** the recipe that does least harm at every place, with as few handovers as pay */
  readonly recipe: Recipe
  /** mean harm over the result by each lane alone, in the order of the lanes, and by all joined */
  readonly alone: readonly number[]
  readonly joined: number
}

/**
 * Lanes of one source held against each other over short stretches of time, and joined where another does less harm.
 * @param lanes  recipes that differ by method and settings alone.
 */
export function* joinLanesTask(source: SoundSource, lanes: readonly Recipe[], known: Analysis): Task<JoinedLanes> {
  const all = yield* analyseTask(source, ALL_NEEDS, known)
  const attacks = all.attacks ?? []
  const { sampleRate, frames } = source
  const { map } = planOf(lanes[0] as Recipe, source, attacks)
  const stretch = map.outputFrames / Math.max(1, frames)
  const least = Math.max(LEAST_SOURCE_SECONDS, LEAST_RESULT_SECONDS / Math.max(1e-3, stretch)) * sampleRate
  const handovers = handoversOf(source, attacks, least)
  const borders = [0, ...handovers.map(({ frame }) => Math.round(map.outputAt(asSource(frame)))), map.outputFrames]
  const harms: number[][] = []
  const spanOf = (first: number, end: number) => ({ from: borders[first] as number, to: borders[end] as number })
  const count = borders.length - 1
  for (let n = 0; n < count; n++) {
    const span = spanOf(n, n + 1)
    const readPart = onceForAll()
    const own: number[] = []
    for (const [lane, recipe] of lanes.entries()) {
      const task = trialTask(source, recipe, span, all, undefined, readPart, { brief: true })
      const { measurement } = yield* partOf(task, n * lanes.length + lane, 2 * count * lanes.length)
      own.push(harmOf(measurement))
    }
    harms.push(own)
  }
  /** Runs of one lane are looked at in full, by each that comes near it there: the least harm takes the run. */
  function* lookAgain(path: number[]): Task<void> {
    for (let first = 0; first < count; ) {
      let end = first + 1
      while (end < count && path[end] === path[first]) end++
      const sums = lanes.map((_, lane) => meanOf(harms, seconds, first, end, lane))
      const least = Math.min(...sums)
      const near = [...sums.keys()]
        .filter((lane) => (sums[lane] as number) <= NEAR * least + NEAR_AT_LEAST)
        .sort((a, b) => (sums[a] as number) - (sums[b] as number))
        .slice(0, MOST_NEAR)
      const readPart = onceForAll()
      const full: number[] = []
      for (const lane of near.length > 1 ? near : []) {
        full.push(yield* fullHarm(lane, first, end, readPart))
      }
      const best = near[full.indexOf(Math.min(...full))]
      if (best !== undefined) path.fill(best, first, end)
      first = end
    }
  }
  const fullHarm = function* (lane: number, first: number, end: number, readPart: ReadPart): Task<number> {
    const task = trialTask(source, lanes[lane] as Recipe, spanOf(first, end), all, undefined, readPart)
    return harmOf((yield* partOf(task, 2 * count - 1, 2 * count)).measurement)
  }
  /** A handover may be better one stretch earlier or later: both lanes are looked at in full on either side of it. */
  function* moveHandovers(path: number[]): Task<void> {
    for (let n = 1; n < count; n++) {
      const [going, coming] = [path[n - 1] as number, path[n] as number]
      if (going === coming) continue
      const cost = (at: number) => COST[(handovers[at - 1] as Handover).hides]
      let best = n
      let least = cost(n)
      for (const [stretch, at, now, other] of [
        [n - 1, n - 1, going, coming],
        [n, n + 1, coming, going],
      ] as const) {
        // no lane loses its only stretch
        if (at < 1 || at >= count || path[at > n ? at : at - 1] !== now) continue
        const readPart = onceForAll()
        const kept = yield* fullHarm(now, stretch, stretch + 1, readPart)
        const given = yield* fullHarm(other, stretch, stretch + 1, readPart)
        const total = cost(at) + (given - kept) * (seconds[stretch] as number)
        if (total < least) {
          least = total
          best = at
        }
      }
      if (best < n) path[n - 1] = coming
      else if (best > n) path[n] = going
      // what was moved on is not moved on again
      if (best > n) n++
    }
  }
  const seconds = harms.map((_, n) => ((borders[n + 1] as number) - (borders[n] as number)) / sampleRate)
  const path = leastPath(harms, seconds, handovers)
  yield* lookAgain(path)
  yield* moveHandovers(path)
  const joined = path.map((lane, n) => [harms[n]?.[lane] as number])
  return {
    recipe: joinedRecipe(lanes, path, handovers, sampleRate),
    alone: lanes.map((_, lane) => meanOf(harms, seconds, 0, count, lane)),
    joined: meanOf(joined, seconds, 0, count, 0),
  }
}

function meanOf(
  harms: readonly (readonly number[])[],
  seconds: readonly number[],
  first: number,
  end: number,
  lane: number,
): number {
  let sum = 0
  let time = 0
  for (let n = first; n < end; n++) {
    sum += (harms[n]?.[lane] as number) * (seconds[n] as number)
    time += seconds[n] as number
  }
  return sum / Math.max(1e-9, time)
}

/** The lane of each stretch that comes to the least harm, handovers counted (Viterbi). */
function leastPath(harms: readonly (readonly number[])[], seconds: readonly number[], handovers: readonly Handover[]) {
  let costs: number[] = (harms[0] ?? []).map((harm) => harm * (seconds[0] as number))
  const from: number[][] = []
  for (let n = 1; n < harms.length; n++) {
    const change = COST[(handovers[n - 1] as Handover).hides]
    const cheapest = costs.indexOf(Math.min(...costs))
    const back: number[] = []
    costs = (harms[n] as readonly number[]).map((harm, lane) => {
      const changes = (costs[cheapest] as number) + change < (costs[lane] as number)
      back.push(changes ? cheapest : lane)
      return (changes ? (costs[cheapest] as number) + change : (costs[lane] as number)) + harm * (seconds[n] as number)
    })
    from.push(back)
  }
  let lane = costs.indexOf(Math.min(...costs))
  const path = [lane]
  for (const back of from.reverse()) {
    lane = back[lane] as number
    path.unshift(lane)
  }
  return path
}

function joinedRecipe(
  lanes: readonly Recipe[],
  path: readonly number[],
  handovers: readonly Handover[],
  sampleRate: number,
): Recipe {
  const joins = path.slice(1).flatMap((lane, n): Join[] => {
    if (lane === path[n]) return []
    const { methodId, settings } = lanes[lane] as Recipe
    const { frame, fade } = handovers[n] as Handover
    return [{ source: frame / sampleRate, methodId, settings, fade }]
  })
  const { joins: _, ...first } = lanes[path[0] ?? 0] as Recipe
  return joins.length > 0 ? { ...first, joins } : first
}

/** What is found out of a part of a source for one lane holds for all that are measured on the same part. */
function onceForAll(): ReadPart {
  const there: { readonly length: number; readonly start: number; readonly reading: SourceReading }[] = []
  return function* (part: AudioBlock, attacks: readonly Attack[] | undefined, start: number): Task<SourceReading> {
    const length = part.channels[0]?.length ?? 0
    const known = there.find((one) => one.start === start && one.length === length)
    if (known) return known.reading
    const reading = yield* readSource(part, attacks)
    there.push({ length, start, reading })
    return reading
  }
}
