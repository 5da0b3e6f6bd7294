import { type Analysis, type Attack, analyse } from '../analysis/analysis'
import { type AudioBlock, type Channels, frameCount, silence } from '../audio/block'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { ratioToSemitones, semitonesToRatio } from '../dsp/units'
import { keepFormants } from '../methods/keepFormants'
import type { AnyMethod, Voice } from '../methods/method'
import { methodById } from '../methods/registry'
import { resolveSettings } from '../methods/settings'
import { filteredVoice } from '../shape/filtered'
import { attacksLeft } from '../shape/prepare'
import { filterBehind, needsAttacks, type Shaped, shapedFor, shapesBefore, shaping } from '../shape/shaped'
import type { Preparing } from '../task'
import { asOutput, asSource, type OutputFrame, type SourceFrame } from '../timeline/axes'
import { holdAttacks } from '../timeline/holdAttacks'
import { composed, type Passage, straight as straightWay } from '../timeline/passage'
import { constantPitch, type PitchLine, pointPitch, tapeMap } from '../timeline/pitchLine'
import { passageOf, pointMap, shiftedMap, straightMap, type TimeMap, timeMapOf } from '../timeline/timeMap'
import { isTimed, type NaturalRun, naturalRuns, timingMap } from '../timing/timing'
import { withCleanAttacks } from './cleanAttacks'
import { type Cut, cutFor, prepareCut } from './cuts'
import { lanesOf } from './lanes'
import { withNaturalRuns } from './naturalPieces'
import { pieceAt, piecedVoice } from './piecedVoice'
import { type Recipe, type ResolvedRecipe, resolveRecipe } from './recipe'
import { laidSeams, SEAM_FADE_SECONDS, seamsOf } from './seams'

/** A result that can be read, with its exact length and what is where in it. */
export interface Rendering {
  readonly map: TimeMap
  /** what the pitch comes to at the start: for a method that ties pitch to speed it follows from the length */
  readonly pitchSemitones: number
  /** the result is the source itself, bit for bit */
  readonly isSource: boolean
  /** output frames at which it falls into pieces: reading that begins at one gives what reading across it gives */
  readonly seams: readonly number[]
  readonly voice: Voice
}

export interface SoundSize {
  readonly frames: number
  readonly sampleRate: number
}

/** What a recipe comes to for a source: by what, where everything lies, how high. Made once, opened at will. */
export interface Plan {
  readonly recipe: ResolvedRecipe
  readonly method: AnyMethod
  readonly map: TimeMap
  readonly pitch: PitchLine
  /** mean stretch of the result */
  readonly stretch: number
  readonly pitchSemitones: number
  readonly isSource: boolean
  /** it is as long and as high as the source, which may be shaped by a filter or its layers */
  readonly isUnmoved: boolean
  /** where the result is the source itself, though it is not all over */
  readonly natural: readonly NaturalRun[]
  /** it lies on a timeline: its pieces are those of the source, whatever the tempo */
  readonly isLaid: boolean
  /** the lanes that make it, one behind the other, where it is made by several; the first from frame 0 on */
  readonly lanes: readonly PlannedLane[]
}

/** One method's share of a result that several make. */
interface PlannedLane {
  /** of the whole result, as if this lane alone made it */
  readonly plan: Plan
  /** output frame from which on it alone is heard */
  readonly from: number
  readonly fadeFrames: number
}

const HOLD_LEAD_SECONDS = 0.005
const HOLD_SECONDS = 0.06

/**
 * The map and the pitch line that a recipe comes to, folded in this order: target or map by hand → speed curve → pins
 * → tape, for a method that ties pitch to speed → attack hold.
 *
 * @param attacks  of the source, rising; only a recipe that holds attacks looks at them.
 * @param laid  the map where the sound lies on a timeline: it stands for the recipe's stretch, timing, or map by hand.
 * @throws {AppError} as `resolveRecipe`; `map/…`, `pitch/…` for lines by hand that do not hold.
 */
export function planOf(
  given: Recipe | ResolvedRecipe,
  size: SoundSize,
  attacks: readonly Attack[] = [],
  laid?: TimeMap,
): Plan {
  const recipe = resolveRecipe(given)
  const { method } = recipe
  const { frames, sampleRate } = size
  const tied = method.tiesPitchToSpeed
  const line = recipe.pitchLine ? pointPitch(recipe.pitchLine, sampleRate, recipe.pitchSemitones) : undefined
  const pitch = line ?? constantPitch(recipe.pitchSemitones)
  let map: TimeMap
  if (laid) map = laid
  else if (recipe.map) map = pinned(pointMap(frames, sampleRate, recipe.map), recipe, sampleRate)
  else map = stretched(line ? recipe.stretch : ownStretch(recipe), recipe, size)
  if (tied && (line || recipe.map) && !laid) map = tapeMap(map, pitch)
  const restsInTime = !recipe.map && !laid && recipe.stretch === 1 && isAtPitch(recipe, pitch)
  const strength = (recipe.holdPercent ?? 0) / 100
  if (strength > 0) {
    const resampled = method.pitchBy === 'reading back'
    map = holdAttacks(
      map,
      (recipe.prepare ? attacksLeft(attacks, recipe.prepare, sampleRate) : attacks).map((attack) => attack.frame),
      {
        strength,
        leadFrames: HOLD_LEAD_SECONDS * sampleRate,
        holdFrames: HOLD_SECONDS * sampleRate,
        naturalSpeedAt: (output) => (resampled ? pitch.ratioAt(output) : 1),
      },
    )
  }
  const stretch = map.length / Math.max(1, frames)
  const straight = !laid && isStraight(recipe)
  const rests = !laid && isAtRest(recipe)
  const isJoined = !rests && (recipe.joins?.length ?? 0) > 0
  let lanes: PlannedLane[] | undefined
  const pitchSemitones = tied
    ? ratioToSemitones(map.speedAt(asOutput(0)) || 1)
    : ratioToSemitones(pitch.ratioAt(asOutput(0)))
  return {
    recipe,
    method,
    map,
    pitch: tied ? constantPitch(0) : pitch,
    stretch: straight ? ownStretch(recipe) : stretch,
    pitchSemitones: straight && !tied ? recipe.pitchSemitones : pitchSemitones || 0,
    // only whoever opens it asks: of thousands of pins it takes a while
    get natural() {
      return restsInTime && !isShaped(recipe) && isTimed(recipe) ? naturalRuns(recipe, frames, sampleRate) : []
    },
    isLaid: laid !== undefined,
    isUnmoved: rests,
    isSource: !laid && isCopy(recipe),
    // only whoever opens it asks: each lane has a plan of its own
    get lanes() {
      if (!lanes) lanes = isJoined ? plannedLanes(recipe, map, size, attacks, laid) : []
      return lanes
    },
  }
}

/** a lane that would be heard for less than this is left out */
const LEAST_LANE_SECONDS = 0.02

function plannedLanes(
  recipe: Recipe,
  map: TimeMap,
  size: SoundSize,
  attacks: readonly Attack[],
  laid: TimeMap | undefined,
): PlannedLane[] {
  const least = LEAST_LANE_SECONDS * size.sampleRate
  const lanes: PlannedLane[] = []
  const plans = new Map<string, Plan>()
  // a lane that comes back is the same one
  const planFor = (own: Recipe) => {
    const key = JSON.stringify([own.methodId, own.settings])
    const plan = plans.get(key) ?? planOf(own, size, attacks, laid)
    plans.set(key, plan)
    return plan
  }
  for (const { recipe: own, source, fade } of lanesOf(recipe)) {
    const from = source === 0 ? 0 : Math.round(map.outputAt(asSource(source * size.sampleRate)))
    // what lies before the first frame or behind the last is never heard
    if (from >= map.outputFrames - least && lanes.length > 0) continue
    while (lanes.length > 0 && from - (lanes.at(-1) as PlannedLane).from < least) lanes.pop()
    const before = lanes.at(-1)
    // two fades never meet
    const room = before ? Math.floor((from - before.from) / 2) : 0
    const fadeFrames = Math.max(before ? 1 : 0, Math.min(room, Math.round(fade * size.sampleRate)))
    lanes.push({ plan: planFor(own), from: before ? from : 0, fadeFrames })
  }
  return lanes
}

/** Whether one stretch and one pitch say all that happens to time and pitch. */
const isStraight = (recipe: Recipe) => !recipe.map && !recipe.pitchLine && !isTimed(recipe)

/** What a straight recipe comes to in length: pitch that goes with speed has its share in it. */
const ownStretch = ({ stretch, pitchSemitones, method }: ResolvedRecipe) =>
  method.tiesPitchToSpeed ? stretch / semitonesToRatio(pitchSemitones) : stretch

/** Whether a recipe leaves a sound as long and as high as it is. */
const isAtRest = (recipe: ResolvedRecipe) =>
  isStraight(recipe) &&
  ownStretch(recipe) === 1 &&
  (recipe.method.tiesPitchToSpeed || recipe.pitchSemitones === 0) &&
  formantsRest(recipe)

const isShaped = (recipe: Recipe) => shapesBefore(recipe) || filterBehind(recipe) !== undefined

/** Whether a recipe by itself makes the source again, bit for bit. */
const isCopy = (recipe: ResolvedRecipe) => isAtRest(recipe) && !isShaped(recipe)

/** A source's timing, so many times as long. */
function stretched(stretch: number, recipe: Recipe, { frames, sampleRate }: SoundSize): TimeMap {
  if (!isTimed(recipe)) return straightMap(frames, stretch)
  const own = timingMap(recipe, frames, sampleRate)
  if (stretch === 1) return own
  const way = composed(straightWay<OutputFrame, OutputFrame>(1 / stretch), passageOf(own))
  return timeMapOf(way, frames, stretch * own.length)
}

/** A map by hand over a source's own time, which pins may have moved. */
function pinned(map: TimeMap, { pins }: Recipe, sampleRate: number): TimeMap {
  if (!pins || pins.length === 0) return map
  const own = timingMap({ pins }, map.sourceFrames, sampleRate)
  const way = composed(passageOf(map), passageOf(own) as unknown as Passage<SourceFrame, SourceFrame>)
  return timeMapOf(way, map.sourceFrames, map.length)
}

const isAtPitch = (recipe: Recipe, pitch: PitchLine) => pitch.constantRatio === 1 && formantsRest(recipe)

const formantsRest = (recipe: Recipe) => recipe.formants !== 'shift' || (recipe.formantSemitones ?? 0) === 0

/** What a rendering of this recipe needs to know of its source beforehand. */
export function needsOf(recipe: Recipe | ResolvedRecipe): AnyMethod['needs'] {
  if (recipe.joins && recipe.joins.length > 0)
    return [...new Set(lanesOf(recipe).flatMap((lane) => needsOf(lane.recipe)))]
  const { needs } = 'method' in recipe ? recipe.method : methodById(recipe.methodId)
  return ((recipe.holdPercent ?? 0) > 0 || needsAttacks(recipe)) && !needs.includes('attacks')
    ? [...needs, 'attacks']
    : needs
}

/**
 * Open a recipe on a source. Outside its frames a rendering is silent. Without an analysis the source is analysed here
 * and now, as far as the recipe needs it.
 * @throws {AppError} as `planOf`.
 */
export function openRendering(
  sound: AudioBlock | SoundSource,
  given: Recipe | ResolvedRecipe,
  analysis?: Analysis,
): Rendering {
  const recipe = resolveRecipe(given)
  const source = soundSource(sound)
  // what is taken as it is needs nothing found out
  const known = isCopy(recipe) ? {} : analyse(source.kin?.lead ?? sound, needsOf(recipe), analysis)
  return openPlan(sound, planOf(recipe, source, known.attacks), known)
}

/** The same for a plan that was made already, of the very source. `known` has what its method needs. */
export function openPlan(sound: AudioBlock | SoundSource, plan: Plan, known: Analysis): Rendering {
  const source = soundSource(sound)
  const { recipe, method, map, pitch, pitchSemitones, isSource } = plan
  if (isSource) return { map, pitchSemitones, isSource, seams: [], voice: sourceVoice(source) }
  const { kin } = source
  if (kin) {
    const all = openPlan(kin.all, plan, known)
    return { ...all, voice: someChannels(all.voice, kin.all.channelCount, kin.first) }
  }
  if (plan.lanes.length > 0) return openLanes(source, plan, known)
  const settings = resolveSettings(method.settings, recipe.settings, method.pick?.(known, source.sampleRate))
  const formantRatioAt = formantLine(recipe, pitch)
  // how far the method itself moves the envelope, against how far it is to be moved
  const movedAt = method.tiesPitchToSpeed ? map.speedAt : pitch.ratioAt
  const rests = pitch.constantRatio === 1 && formantRatioAt(asOutput(0)) === 1 && !method.tiesPitchToSpeed
  const formantsBehind = recipe.formants !== 'move' && !method.ownFormants && !rests

  // what was moved in time is judged by when it begins
  const cleans = method.spreadsAttacks === true && (recipe.pins?.length ?? 0) > 0 && isAtPitch(recipe, pitch)

  const { seams, longSeams, fadeFrames, offsetOf, cutOf } = piecesOf(source, plan, known)
  const openPiece = (piece: number) => {
    const offset = offsetOf(piece)
    if (offset !== undefined && !source.slow) return moved(sourceVoice(source), offset)
    const cut = cutOf(piece)
    if (offset !== undefined) return Object.assign(moved(sourceVoice(cut.audio), offset - cut.start), { cut })
    const { audio, analysis } = shapedFor(cut, recipe)
    if (plan.isUnmoved) return Object.assign(moved(sourceVoice(audio), -cut.start), { cut })
    const own = seams.length === 0 ? map : shiftedMap(map, cut.start, frameCount(audio))
    const { seed } = recipe
    const voice = method.open({
      source: audio,
      map: own,
      pitch,
      formantRatioAt,
      settings,
      seed,
      analysis,
    })
    const shaped = formantsBehind ? keepFormants(audio, own, movedAt, formantRatioAt, voice) : voice
    const whole = cleans ? withCleanAttacks(shaped, audio, own, analysis.attacks ?? []) : shaped
    // a cut is kept for others as long as a voice holds it
    return Object.assign(whole, { cut })
  }
  const pieced =
    seams.length === 0
      ? openPiece(0)
      : piecedVoice(source.channelCount, seams, () => ({ frames: fadeFrames }), openPiece)
  const voice = within(pieced, map.outputFrames)
  const behind = filterBehind(recipe)
  if (!behind) return { map, pitchSemitones, isSource, seams: longSeams, voice }
  // it reads across the seams, so that what lies before one has a say behind it
  const filtered = filteredVoice(voice, source.channelCount, behind, source.sampleRate)
  return { map, pitchSemitones, isSource, seams: [], voice: within(filtered, map.outputFrames) }
}

/** A result that several lanes make, one behind the other. */
function openLanes(source: SoundSource, plan: Plan, known: Analysis): Rendering {
  const { map, pitchSemitones, isSource, lanes } = plan
  const taking = lanes.slice(1)
  const voice = piecedVoice(
    source.channelCount,
    taking.map(({ from }) => from),
    (seam) => ({ frames: (taking[seam] as PlannedLane).fadeFrames, even: true }),
    (piece) => openPlan(source, (lanes[piece] as PlannedLane).plan, known).voice,
  )
  const seams = seamsOfPlan(source, plan, known)
  return { map, pitchSemitones, isSource, seams, voice: within(voice, map.outputFrames) }
}

/** Where lanes hand over, and where each falls into pieces while it is heard. */
function laneSeams(source: SoundSource, lanes: readonly PlannedLane[], known: Analysis): readonly number[] {
  return lanes.flatMap(({ plan, from }, n) => {
    const next = lanes[n + 1]
    const end = next ? next.from - next.fadeFrames : plan.map.outputFrames
    const own = seamsOfPlan(source, plan, known).filter((seam) => seam > from && seam < end)
    return n === 0 ? own : [from, ...own]
  })
}

/** The sound that a plan is carried out on: of kin all of them. */
const workedOn = (sound: AudioBlock | SoundSource): SoundSource => {
  const source = soundSource(sound)
  return source.kin?.all ?? source
}

/** Some of the channels of a voice, from `first` on: as many as are asked for. The others are made and let go. */
function someChannels(voice: Voice, channelCount: number, first: number): Voice {
  let others: Channels = []
  return {
    read(outputFrame, out) {
      const size = out[0]?.length ?? 0
      if ((others[0]?.length ?? 0) < size) others = silence(channelCount, size)
      voice.read(
        outputFrame,
        others.map((channel, c) => out[c - first] ?? channel.subarray(0, size)),
      )
    },
  }
}

/** Where a planned result falls into pieces, without opening it: no voice is made, nothing of the sound kept. */
export function seamsOfPlan(sound: AudioBlock | SoundSource, plan: Plan, known: Analysis): readonly number[] {
  if (plan.isSource || filterBehind(plan.recipe)) return []
  const source = workedOn(sound)
  if (plan.lanes.length > 0) return laneSeams(source, plan.lanes, known)
  return piecesOf(source, plan, known).longSeams
}

type Pieces = ReturnType<typeof newPieces>
const lastPieces = new WeakMap<
  Plan,
  { readonly source: SoundSource; readonly known: Analysis; readonly pieces: Pieces }
>()

/** Where a result falls into pieces, and what of the source each is made of; one that does not, of all. */
function piecesOf(source: SoundSource, plan: Plan, known: Analysis): Pieces {
  const there = lastPieces.get(plan)
  if (there?.source === source && there.known === known) return there.pieces
  const pieces = newPieces(source, plan, known)
  lastPieces.set(plan, { source, known, pieces })
  return pieces
}

function newPieces(source: SoundSource, { method, map, isLaid, natural }: Plan, known: Analysis) {
  const { exactSeek, mostSourceSeconds } = method
  const options = { anywhere: exactSeek, ...(mostSourceSeconds !== undefined && { mostSourceSeconds }) }
  const longSeams = isLaid
    ? laidSeams(source, map, known.attacks ?? [], options)
    : seamsOf(source, map, known.attacks ?? [], options)
  const fadeFrames = Math.round(SEAM_FADE_SECONDS * source.sampleRate)
  const { seams, offsetOf } = withNaturalRuns(longSeams, natural, map.outputFrames, fadeFrames)
  const spanOf = (piece: number) => {
    const from = piece === 0 ? 0 : map.sourceAt(asOutput((seams[piece - 1] as number) - fadeFrames))
    const to = piece === seams.length ? source.frames : map.sourceAt(asOutput(seams[piece] as number))
    return { from: Math.max(0, Math.floor(from)), to: Math.min(source.frames, Math.ceil(to)) }
  }
  // what is not cut is taken as it is, but for what would have to be read again each time
  const cutOf = (piece: number): Cut =>
    seams.length === 0 && !source.slow
      ? { start: 0, audio: source.part(0, source.frames), analysis: known }
      : cutFor(source, spanOf(piece), known, method.needs)
  const prepare = (piece: number) => prepareCut(source, spanOf(piece), known, method.needs)
  return { seams, longSeams: longSeams.filter((seam) => seams.includes(seam)), fadeFrames, offsetOf, cutOf, prepare }
}

/**
 * Where beginning anywhere takes long: all that a rendering needs to begin at source frames `from` up to `to`, in
 * small steps; undefined where it can begin at once. The samples are the same without. It comes to the part of the
 * source that is needed: that stays as it is made for as long as it is held on to.
 */
export function preparePlan(
  sound: AudioBlock | SoundSource,
  plan: Plan,
  known: Analysis,
  from: number,
  to: number,
): Preparing<Cut> | undefined {
  const source = workedOn(sound)
  if (plan.lanes.length > 0) {
    const at = plan.map.outputAt(asSource(from))
    const lane = plan.lanes.findLast((one) => one.from - one.fadeFrames <= at) ?? plan.lanes[0]
    return lane && preparePlan(source, lane.plan, known, from, to)
  }
  const { recipe, method, map, isSource } = plan
  if (!method.prepare && !source.slow && !shapesBefore(recipe)) return undefined
  if (isSource) return undefined
  const { seams, offsetOf, cutOf, prepare } = piecesOf(source, plan, known)
  const piece = pieceAt(seams, map.outputAt(asSource(from)))
  const makingOf = (cut: Cut): Preparing | undefined => {
    if (offsetOf(piece) !== undefined) return undefined
    const methodWork = ({ audio, analysis }: Shaped) =>
      plan.isUnmoved ? undefined : method.prepare?.(audio, analysis, from - cut.start, to - cut.start)
    const shape = shaping(cut, recipe)
    return shape ? oneBehindOther(shape, methodWork) : methodWork(shapedFor(cut, recipe))
  }
  if (source.slow) return readAndMade(prepare(piece), () => cutOf(piece), makingOf)
  const cut = cutOf(piece)
  const making = makingOf(cut)
  return (
    making &&
    readAndMade(
      undefined,
      () => cut,
      () => making,
    )
  )
}

function* oneBehindOther(shape: Preparing<Shaped>, next: (shaped: Shaped) => Preparing | undefined): Preparing<void> {
  const more = next(yield* shape)
  if (more) yield* more
}

function* readAndMade(
  reading: Preparing | undefined,
  cutOf: () => Cut,
  makingOf: (cut: Cut) => Preparing | undefined,
): Preparing<Cut> {
  if (reading) yield* reading
  const cut = cutOf()
  const making = makingOf(cut)
  if (making) yield* making
  return cut
}

/** Where the envelope is to be over the result, as a ratio to where it is in the source. */
function formantLine(recipe: Recipe, pitch: PitchLine): (output: OutputFrame) => number {
  if (recipe.formants === 'move') return pitch.ratioAt
  const ratio = recipe.formants === 'shift' ? semitonesToRatio(recipe.formantSemitones ?? 0) : 1
  return () => ratio
}

/** The source as a voice: what is read is what is there. */
export function sourceVoice(sound: AudioBlock | SoundSource): Voice {
  const source = soundSource(sound)
  return {
    read(outputFrame, out) {
      const from = Math.max(0, Math.min(source.frames, outputFrame))
      const to = Math.max(from, Math.min(source.frames, outputFrame + (out[0]?.length ?? 0)))
      const { channels } = source.part(from, to)
      out.forEach((channel, c) => {
        channel.fill(0)
        if (to > from) channel.set(channels[c] as Float32Array, from - outputFrame)
      })
    },
  }
}

/** The same voice, so many frames ahead. */
const moved = (voice: Voice, by: number): Voice => ({ read: (outputFrame, out) => voice.read(outputFrame + by, out) })

/** Silence before 0 and from `frames` on; the voice is only asked for what lies between. */
function within(voice: Voice, frames: number): Voice {
  return {
    read(outputFrame, out) {
      const size = out[0]?.length ?? 0
      const from = Math.max(0, outputFrame)
      const to = Math.min(frames, outputFrame + size)
      if (from === outputFrame && to === outputFrame + size) {
        voice.read(outputFrame, out)
        return
      }
      for (const channel of out) channel.fill(0)
      if (to > from) voice.read(from, slices(out, from - outputFrame, to - outputFrame))
    },
  }
}

function slices(channels: Channels, from: number, to: number): Float32Array[] {
  return channels.map((channel) => channel.subarray(from, to))
}
