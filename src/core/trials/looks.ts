import type { Analysis, Attack } from '../analysis/analysis'
import type { AudioBlock } from '../audio/block'
import type { SoundSource } from '../audio/soundSource'
import { readSource, type SourceReading } from '../measure/sourceReading'
import type { Recipe } from '../render/recipe'
import { partOf, type Task } from '../task'
import type { Span } from './excerpt'
import { type ReadPart, type Trial, trialTask } from './trial'

/** A recipe to be rendered and measured over a span of its result. Plain data: whoever has the source can do it. */
export interface Look {
  readonly recipe: Recipe
  readonly span: Span
  /** attacks and likeness alone, a third of the work */
  readonly brief: boolean
}

/** Looks that do not depend on one another, and from which share of all the work to which they go. */
export interface Looks {
  readonly looks: readonly Look[]
  readonly from: number
  readonly to: number
}

/** Work that goes on by what looks come to: it asks for some, and is given their trials in the same order. */
export type Looking<Result> = Generator<Looks, Result, readonly Trial[]>

/** Takes one look after another at a source; what it found out of a part of it is kept for the next ones. */
export function lookerAt(source: SoundSource, known: Analysis): (look: Look) => Task<Trial> {
  const readPart = keptReadings()
  return ({ recipe, span, brief }) => trialTask(source, recipe, span, known, undefined, readPart, { brief })
}

/** Take all looks that are asked for here, one after another. */
export function* lookTask<Result>(looking: Looking<Result>, source: SoundSource, known: Analysis): Task<Result> {
  const look = lookerAt(source, known)
  let told: readonly Trial[] = []
  for (;;) {
    const step = looking.next(told)
    if (step.done) return step.value
    const { looks, from, to } = step.value
    const at = (count: number) => from + ((to - from) * count) / looks.length
    const trials: Trial[] = []
    for (const [n, one] of looks.entries()) trials.push(yield* partOf(look(one), at(n), at(n + 1)))
    told = trials
  }
}

/** The looks of a part of the work, from one share of the whole to another. */
export function* partOfLooking<Result>(looking: Looking<Result>, start: number, end: number): Looking<Result> {
  const within = (share: number) => start + (end - start) * share
  let told: readonly Trial[] = []
  for (;;) {
    const step = looking.next(told)
    if (step.done) return step.value
    const { looks, from, to } = step.value
    told = yield { looks, from: within(from), to: within(to) }
  }
}

/** so many parts are remembered: the last ones that were looked at */
const KEPT = 4

/** What is found out of a part of a source for one lane holds for all that are measured on the same part. */
function keptReadings(): ReadPart {
  const there: { readonly length: number; readonly start: number; readonly reading: SourceReading }[] = []
  return function* (part: AudioBlock, attacks: readonly Attack[] | undefined, start: number): Task<SourceReading> {
    const length = part.channels[0]?.length ?? 0
    const known = there.find((one) => one.start === start && one.length === length)
    if (known) return known.reading
    const reading = yield* readSource(part, attacks)
    there.push({ length, start, reading })
    if (there.length > KEPT) there.shift()
    return reading
  }
}
