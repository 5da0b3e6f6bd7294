import { type Analysis, analyseTask } from '../analysis/analysis'
import { type AudioBlock, silence } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { dbToGain } from '../dsp/units'
import { needsOf, openPlan, type Plan, planOf, preparePlan } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import type { Preparing, Task } from '../task'
import { asOutput } from '../timeline/axes'
import { type CleanCut, CUT_LOOK_SECONDS, cleanCut, cleanCutBetween, type Piece } from './cut'
import { endless, endlessAnalysis, type Loop, seamSteps } from './loop'

/** How a sound is played: from keys or from a pad. Plain data; frames, where there are any, are of the result. */
export interface Instrument {
  readonly id: string
  readonly recipe: Recipe
  /** what of the result is played, s; to its end where it is not said */
  readonly from?: number
  readonly to?: number
  /** the key at which it sounds as it is: 69 is A at 440 Hz, between keys where it has decimals */
  readonly root: number
  /** as long at every key, or faster the higher, as on tape */
  readonly length: 'keep' | 'tape'
  /** as long as it is held; to its end, once begun; round and round as long as it is held */
  readonly play: 'hold' | 'through' | 'loop'
  readonly attackMs: number
  readonly releaseMs: number
  /** notes that sound at once; the oldest gives way */
  readonly voices: number
  /** from one note to the next, where there is one voice */
  readonly glideMs: number
  readonly gainDb: number
  /** −1 left, 1 right */
  readonly pan: number
  readonly reverse: boolean
  /** the one key that it is ever struck at, as a pad is */
  readonly only?: number
  /** of those with the same name only one sounds */
  readonly group?: string
}

export const VOICES_RANGE = { min: 1, max: 64 } as const
/** interval that a key may be away from the root, semitones */
export const MOST_INTERVAL = 36

/** what is looped or turned round is rendered beforehand: no more than this, s */
export const MOST_HELD_SECONDS = 120
/** how long a loop can be held, s */
const ENDLESS_SECONDS = 180

export const PLAIN_INSTRUMENT: Omit<Instrument, 'id' | 'recipe' | 'root'> = {
  length: 'keep',
  play: 'hold',
  attackMs: 0,
  releaseMs: 60,
  voices: 16,
  glideMs: 0,
  gainDb: 0,
  pan: 0,
  reverse: false,
}

/** An instrument whose sound is there: notes can be opened of it at once. */
export interface ReadyInstrument {
  readonly order: Instrument
  readonly source: SoundSource
  /** what is played at the root, and at each key with its interval added */
  readonly recipe: Recipe
  readonly known: Analysis
  /** of the result that `recipe` makes, frames */
  readonly cut: CleanCut
  readonly gain: number
  /** of each interval what it comes to, found once */
  readonly plans: Map<string, Plan>
}

const BLOCK_FRAMES = 4096
const keeping = (recipe: Recipe) => recipe.stretch !== 1 || recipe.pitchSemitones !== 0

/**
 * Get an instrument ready, in small steps: what its methods need to know of its sound is found out; what is looped or
 * turned round is rendered and seamed.
 */
export function* readyInstrument(
  sound: AudioBlock | SoundSource,
  order: Instrument,
  known: Analysis = {},
): Preparing<ReadyInstrument> {
  let source = soundSource(sound)
  let { recipe } = order
  let analysis = yield* stepsOf(analyseTask(source, needsOf(recipe), known))
  const { sampleRate } = source
  let frames = planOf(recipe, source, analysis.attacks).map.outputFrames
  let from = Math.round((order.from ?? 0) * sampleRate)
  let to = Math.min(frames, order.to === undefined ? frames : Math.round(order.to * sampleRate))
  let loop: Loop | undefined
  if (order.play === 'loop' || order.reverse) {
    // with some of what lies around it, for the seam
    const margin = Math.round(0.2 * sampleRate)
    const start = Math.max(0, from - margin)
    const end = Math.min(frames, to + margin, start + MOST_HELD_SECONDS * sampleRate)
    const plan = planOf(recipe, source, analysis.attacks)
    let audio = yield* readSpan(source, openPlan(source, plan, analysis).voice.read, start, end)
    from -= start
    to = Math.min(to - start, end - start)
    if (order.reverse) {
      audio = { sampleRate, channels: audio.channels.map((channel) => channel.slice().reverse()) }
      ;[from, to] = [end - start - to, end - start - from]
    }
    source = soundSource(audio)
    if (order.play === 'loop') {
      loop = yield* seamSteps(audio, from, to)
      source = endless(audio, loop, ENDLESS_SECONDS * sampleRate)
      from = Math.min(from, loop.start)
      to = source.frames
    }
    frames = source.frames
    // what was rendered is played as it is; its pitch alone is still turned
    const { methodId, settings, seed } = recipe
    recipe = { version: 1, stretch: 1, pitchSemitones: 0, formants: recipe.formants, methodId, settings, seed }
    analysis = yield* stepsOf(analyseTask(audio, needsOf(recipe)))
    if (loop) analysis = endlessAnalysis(analysis, loop, source.frames)
  }
  const own = soundSource(source)
  let cut: CleanCut
  if (loop) cut = plainCut(from, to, sampleRate)
  else if (!keeping(recipe) && !own.slow && own.frames === frames) cut = cleanCut(own.part(0, own.frames), from, to)
  else cut = yield* cutOfResult(source, recipe, analysis, from, to)
  // what takes long to begin is begun: the first note is as soon as all others
  for (const semitones of order.only === undefined ? [0, WARM_INTERVAL] : [order.only - order.root]) {
    const plan = planOf({ ...recipe, pitchSemitones: recipe.pitchSemitones + semitones }, source, analysis.attacks)
    const at = plan.map.sourceAt(asOutput(cut.from))
    const preparing = preparePlan(source, plan, analysis, at, Math.min(source.frames, at + WARM_SECONDS * sampleRate))
    if (preparing) yield* preparing
    yield
  }
  return { order, source, recipe, known: analysis, cut, gain: dbToGain(order.gainDb), plans: new Map() }
}

/** how much of its sound is there when it is ready, s */
const WARM_SECONDS = 1
/** prepared at its own pitch and at another: they may go different ways */
const WARM_INTERVAL = 5

/**
 * Where to cut a piece out of a result: what lies around its ends is made for that. It tells how long each end is to be
 * faded. A note that is read from its own start on may cross zero elsewhere by a little: its fade sees to that.
 */
function* cutOfResult(
  source: SoundSource,
  recipe: Recipe,
  known: Analysis,
  from: number,
  to: number,
): Preparing<CleanCut> {
  const plan = planOf(recipe, source, known.attacks)
  const frames = plan.map.outputFrames
  const { sampleRate, channelCount } = source
  const look = Math.round(CUT_LOOK_SECONDS * sampleRate)
  const pieces: Piece[] = []
  for (const end of [from, to]) {
    const begins = Math.max(0, end - look)
    const channels = silence(channelCount, Math.max(0, Math.min(frames, end + look) - begins))
    // the result's own ends stay as they are
    if (end > 0 && end < frames) {
      const at = plan.map.sourceAt(asOutput(begins))
      const preparing = preparePlan(source, plan, known, at, Math.min(source.frames, at + WARM_SECONDS * sampleRate))
      if (preparing) yield* preparing
      openPlan(source, plan, known).voice.read(begins, channels)
    }
    pieces.push({ channels, begins })
    yield
  }
  const cut = cleanCutBetween({ frames, sampleRate }, from, to, pieces[0] as Piece, pieces[1] as Piece)
  // what a result begins with is no cut, and yet may not be at rest
  return { ...cut, fadeIn: Math.max(cut.fadeIn, Math.min(RESULT_RISE, Math.floor((cut.to - cut.from) / 4))) }
}

/** frames */
const RESULT_RISE = 48
const PLAIN_FADE_SECONDS = 0.005

function plainCut(from: number, to: number, sampleRate: number): CleanCut {
  const fade = Math.max(1, Math.min(Math.round(PLAIN_FADE_SECONDS * sampleRate), Math.floor((to - from) / 4)))
  return { from, to, fadeIn: from > 0 ? fade : Math.min(fade, 48), fadeOut: 2 * fade }
}

function* stepsOf<Result>(task: Task<Result>): Preparing<Result> {
  for (;;) {
    const step = task.next()
    if (step.done) return step.value
    yield
  }
}

function* readSpan(
  { sampleRate, channelCount }: SoundSource,
  read: (frame: number, out: Float32Array[]) => void,
  from: number,
  to: number,
): Preparing<AudioBlock> {
  const channels = silence(channelCount, Math.max(1, to - from))
  for (let at = from; at < to; at += BLOCK_FRAMES) {
    const end = Math.min(to, at + BLOCK_FRAMES)
    read(
      at,
      channels.map((channel) => channel.subarray(at - from, end - from)),
    )
    yield
  }
  return { sampleRate, channels }
}
