import { ALL_NEEDS, type Analysis, analyseTask } from '../analysis/analysis'
import type { SoundSource } from '../audio/soundSource'
import type { Join } from '../render/joins'
import { unjoined } from '../render/lanes'
import { planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import type { Task } from '../task'
import { asSource } from '../timeline/axes'
import { harmOf } from './advice'
import { type Handover, handoversOf } from './handovers'
import { type Look, type Looking, lookTask } from './looks'
import type { Trial } from './trial'

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
  /** lanes that were looked at in full over all of the result, where one lane is best all through */
  readonly inFull: readonly { readonly lane: number; readonly trial: Trial }[]
}

/** how far the first look is when it ends, and the second: shares of the work */
const FIRST_LOOK = 0.5
const SECOND_LOOK = 0.85

/** Lanes of one source, and the stretches of time over which they are held against each other. Plain data. */
export interface Contest {
  readonly lanes: readonly Recipe[]
  /** what is known of the source: every look goes by it */
  readonly known: Analysis
  readonly sampleRate: number
  /** between one stretch and the next */
  readonly handovers: readonly Handover[]
  /** where the stretches begin, and where the last one ends: frames of the result */
  readonly borders: readonly number[]
}

/** @param lanes  recipes that differ by method and settings alone. */
export function* contestTask(source: SoundSource, lanes: readonly Recipe[], given: Analysis): Task<Contest> {
  const known = yield* analyseTask(source, ALL_NEEDS, given)
  const attacks = known.attacks ?? []
  const { sampleRate, frames } = source
  const { map } = planOf(lanes[0] as Recipe, source, attacks)
  const stretch = map.outputFrames / Math.max(1, frames)
  const least = Math.max(LEAST_SOURCE_SECONDS, LEAST_RESULT_SECONDS / Math.max(1e-3, stretch)) * sampleRate
  const handovers = handoversOf(source, attacks, least)
  const borders = [0, ...handovers.map(({ frame }) => Math.round(map.outputAt(asSource(frame)))), map.outputFrames]
  return { lanes, known, sampleRate, handovers, borders }
}

/** Hold lanes against each other over short stretches of time, and join them where another does less harm. */
export function* joinLanesTask(source: SoundSource, lanes: readonly Recipe[], given: Analysis): Task<JoinedLanes> {
  const contest = yield* contestTask(source, lanes, given)
  return yield* lookTask(joinLanes(contest), source, contest.known)
}

/** The same as looks that are asked for. */
export function* joinLanes(contest: Contest): Looking<JoinedLanes> {
  const { lanes, handovers, sampleRate } = contest
  const seconds = secondsOf(contest)
  const count = seconds.length
  const stretches = [...seconds.keys()]
  const looks = stretches.flatMap((n) => lanes.map((_, lane) => lookAt(contest, lane, n, n + 1, true)))
  const told = harmsOf(yield { looks, from: 0, to: FIRST_LOOK })
  const harms = stretches.map((n) => told.slice(n * lanes.length, (n + 1) * lanes.length))
  const path = leastPath(harms, seconds, handovers)
  const inFull = yield* lookAgain(contest, harms, path)
  yield* moveHandovers(contest, path)
  const joined = path.map((lane, n) => [harms[n]?.[lane] as number])
  return {
    recipe: joinedRecipe(lanes, path, handovers, sampleRate),
    alone: lanes.map((_, lane) => meanOf(harms, seconds, 0, count, lane)),
    joined: meanOf(joined, seconds, 0, count, 0),
    inFull,
  }
}

/** The seconds of each stretch of the result. */
const secondsOf = ({ borders, sampleRate }: Contest): number[] =>
  borders.slice(1).map((border, n) => (border - (borders[n] as number)) / sampleRate)

/** A look at a lane from one stretch up to another. */
function lookAt({ lanes, borders }: Contest, lane: number, first: number, end: number, brief = false): Look {
  return {
    recipe: lanes[lane] as Recipe,
    span: { from: borders[first] as number, to: borders[end] as number },
    brief,
  }
}

const harmsOf = (trials: readonly Trial[]): number[] => trials.map(({ measurement }) => harmOf(measurement))

/** A run of one lane: stretches, and the lanes that come near it there. */
interface Run {
  readonly first: number
  readonly end: number
  readonly near: readonly number[]
}

/**
 * Runs of one lane are looked at in full, by each that comes near it there: the least harm takes the run.
 * @returns what was looked at over all of the result.
 */
function* lookAgain(
  contest: Contest,
  harms: readonly (readonly number[])[],
  path: number[],
): Looking<JoinedLanes['inFull']> {
  const runs = runsOf(contest, harms, path)
  const trials = yield {
    looks: runs.flatMap(({ first, end, near }) => near.map((lane) => lookAt(contest, lane, first, end))),
    from: FIRST_LOOK,
    to: SECOND_LOOK,
  }
  let n = 0
  for (const { first, end, near } of runs) {
    const full = harmsOf(trials.slice(n, n + near.length))
    n += near.length
    path.fill(near[full.indexOf(Math.min(...full))] as number, first, end)
  }
  const [run] = runs
  if (runs.length !== 1 || run?.first !== 0 || run.end !== path.length) return []
  return run.near.map((lane, k) => ({ lane, trial: trials[k] as Trial }))
}

/** The runs of a path that more than one lane comes near in. */
function runsOf(contest: Contest, harms: readonly (readonly number[])[], path: readonly number[]): Run[] {
  const seconds = secondsOf(contest)
  const runs: Run[] = []
  for (let first = 0; first < path.length; ) {
    let end = first + 1
    while (end < path.length && path[end] === path[first]) end++
    const means = contest.lanes.map((_, lane) => meanOf(harms, seconds, first, end, lane))
    const least = Math.min(...means)
    const near = [...means.keys()]
      .filter((lane) => (means[lane] as number) <= NEAR * least + NEAR_AT_LEAST)
      .sort((a, b) => (means[a] as number) - (means[b] as number))
      .slice(0, MOST_NEAR)
    if (near.length > 1) runs.push({ first, end, near })
    first = end
  }
  return runs
}

/** A handover may be better one stretch earlier or later: both lanes are looked at in full on either side of it. */
function* moveHandovers(contest: Contest, path: number[]): Looking<void> {
  const seconds = secondsOf(contest)
  const changes = [...path.keys()].filter((n) => n > 0 && path[n - 1] !== path[n])
  // no lane loses its only stretch
  const movable = (n: number) => [
    ...(path[n - 2] === path[n - 1] ? [n - 1] : []),
    ...(path[n + 1] === path[n] ? [n] : []),
  ]
  const asked = changes.flatMap((n) =>
    movable(n).flatMap((stretch) => [path[n - 1], path[n]].map((lane) => ({ stretch, lane: lane as number }))),
  )
  const looks = asked.map(({ stretch, lane }) => lookAt(contest, lane, stretch, stretch + 1))
  const told = harmsOf(yield { looks, from: SECOND_LOOK, to: 1 })
  const harms = new Map(asked.map(({ stretch, lane }, k) => [`${stretch} ${lane}`, told[k] as number]))
  /** what it costs to hand over before a stretch, and what is gained if another lane takes one more */
  const cost = (stretch: number) => COST[(contest.handovers[stretch - 1] as Handover).hides]
  const change = (stretch: number, from: number, to: number) =>
    ((harms.get(`${stretch} ${to}`) ?? Number.POSITIVE_INFINITY) - (harms.get(`${stretch} ${from}`) ?? 0)) *
    (seconds[stretch] as number)
  let moved = 0
  for (const n of changes) {
    // what was moved on is not moved on again
    if (n === moved) continue
    const [going, coming] = [path[n - 1] as number, path[n] as number]
    const can = movable(n)
    const earlier = can.includes(n - 1) ? cost(n - 1) + change(n - 1, going, coming) : Number.POSITIVE_INFINITY
    const later = can.includes(n) ? cost(n + 1) + change(n, coming, going) : Number.POSITIVE_INFINITY
    if (Math.min(earlier, later) >= cost(n)) continue
    if (earlier <= later) path[n - 1] = coming
    else {
      path[n] = going
      moved = n + 1
    }
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
  const first = unjoined(lanes[path[0] ?? 0] as Recipe)
  return joins.length > 0 ? { ...first, joins } : first
}
