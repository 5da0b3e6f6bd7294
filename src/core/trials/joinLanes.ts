import { ALL_NEEDS, type Analysis, type Attack, analyseTask } from '../analysis/analysis'
import type { AudioBlock } from '../audio/block'
import type { SoundSource } from '../audio/soundSource'
import { readSource, type SourceReading } from '../measure/measure'
import type { Join } from '../render/joins'
import { unjoined } from '../render/lanes'
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

/** how far the first look is when it ends, and the second: shares of the work */
const FIRST_LOOK = 0.5
const SECOND_LOOK = 0.85

/**
 * Lanes of one source held against each other over short stretches of time, and joined where another does less harm.
 * @param lanes  recipes that differ by method and settings alone.
 */
export function* joinLanesTask(source: SoundSource, lanes: readonly Recipe[], known: Analysis): Task<JoinedLanes> {
  const contest = yield* contestOf(source, lanes, known)
  const { seconds, handovers } = contest
  const count = seconds.length
  const harms: number[][] = []
  for (let n = 0; n < count; n++) {
    const readPart = onceForAll()
    const own: number[] = []
    for (const lane of lanes.keys()) {
      const at = (done: number) => (FIRST_LOOK * (n + (lane + done) / lanes.length)) / count
      own.push(yield* partOf(contest.harm(lane, n, n + 1, readPart, true), at(0), at(1)))
    }
    harms.push(own)
  }
  const path = leastPath(harms, seconds, handovers)
  yield* lookAgain(contest, harms, path)
  yield* moveHandovers(contest, path)
  const joined = path.map((lane, n) => [harms[n]?.[lane] as number])
  return {
    recipe: joinedRecipe(lanes, path, handovers, source.sampleRate),
    alone: lanes.map((_, lane) => meanOf(harms, seconds, 0, count, lane)),
    joined: meanOf(joined, seconds, 0, count, 0),
  }
}

/** Stretches of time over which lanes are held against each other. */
interface Contest {
  readonly lanes: number
  /** between one stretch and the next */
  readonly handovers: readonly Handover[]
  /** of the result, of each stretch */
  readonly seconds: readonly number[]
  /** The harm that a lane does from one stretch up to another. */
  harm(lane: number, first: number, end: number, readPart: ReadPart, brief?: boolean): Task<number>
}

function* contestOf(source: SoundSource, lanes: readonly Recipe[], known: Analysis): Task<Contest> {
  const all = yield* analyseTask(source, ALL_NEEDS, known)
  const attacks = all.attacks ?? []
  const { sampleRate, frames } = source
  const { map } = planOf(lanes[0] as Recipe, source, attacks)
  const stretch = map.outputFrames / Math.max(1, frames)
  const least = Math.max(LEAST_SOURCE_SECONDS, LEAST_RESULT_SECONDS / Math.max(1e-3, stretch)) * sampleRate
  const handovers = handoversOf(source, attacks, least)
  const borders = [0, ...handovers.map(({ frame }) => Math.round(map.outputAt(asSource(frame)))), map.outputFrames]
  return {
    lanes: lanes.length,
    handovers,
    seconds: borders.slice(1).map((border, n) => (border - (borders[n] as number)) / sampleRate),
    *harm(lane, first, end, readPart, brief = false) {
      const span = { from: borders[first] as number, to: borders[end] as number }
      const trial = trialTask(source, lanes[lane] as Recipe, span, all, undefined, readPart, { brief })
      return harmOf((yield* trial).measurement)
    },
  }
}

/** Runs of one lane are looked at in full, by each that comes near it there: the least harm takes the run. */
function* lookAgain(contest: Contest, harms: readonly (readonly number[])[], path: number[]): Task<void> {
  const { seconds } = contest
  const count = path.length
  const share = (stretches: number) => FIRST_LOOK + ((SECOND_LOOK - FIRST_LOOK) * stretches) / count
  for (let first = 0; first < count; ) {
    let end = first + 1
    while (end < count && path[end] === path[first]) end++
    const means = Array.from({ length: contest.lanes }, (_, lane) => meanOf(harms, seconds, first, end, lane))
    const least = Math.min(...means)
    const near = [...means.keys()]
      .filter((lane) => (means[lane] as number) <= NEAR * least + NEAR_AT_LEAST)
      .sort((a, b) => (means[a] as number) - (means[b] as number))
      .slice(0, MOST_NEAR)
    if (near.length > 1) {
      const readPart = onceForAll()
      const full: number[] = []
      for (const [n, lane] of near.entries()) {
        const at = (done: number) => share(first + ((end - first) * (n + done)) / near.length)
        full.push(yield* partOf(contest.harm(lane, first, end, readPart), at(0), at(1)))
      }
      path.fill(near[full.indexOf(Math.min(...full))] as number, first, end)
    }
    first = end
  }
}

/** A handover may be better one stretch earlier or later: both lanes are looked at in full on either side of it. */
function* moveHandovers(contest: Contest, path: number[]): Task<void> {
  const count = path.length
  for (let n = 1; n < count; n++) {
    const [going, coming] = [path[n - 1] as number, path[n] as number]
    if (going === coming) continue
    const at = SECOND_LOOK + ((1 - SECOND_LOOK) * n) / count
    /** what it costs to hand over before a stretch, and what is gained if another lane takes one more */
    const cost = (stretch: number) => COST[(contest.handovers[stretch - 1] as Handover).hides]
    const change = function* (stretch: number, from: number, to: number): Task<number> {
      const readPart = onceForAll()
      const kept = yield* partOf(contest.harm(from, stretch, stretch + 1, readPart), at, at)
      const given = yield* partOf(contest.harm(to, stretch, stretch + 1, readPart), at, at)
      return (given - kept) * (contest.seconds[stretch] as number)
    }
    // no lane loses its only stretch
    const earlier =
      path[n - 2] === going ? cost(n - 1) + (yield* change(n - 1, going, coming)) : Number.POSITIVE_INFINITY
    const later = path[n + 1] === coming ? cost(n + 1) + (yield* change(n, coming, going)) : Number.POSITIVE_INFINITY
    if (Math.min(earlier, later) >= cost(n)) continue
    if (earlier <= later) path[n - 1] = coming
    // what was moved on is not moved on again
    else path[n++] = going
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
