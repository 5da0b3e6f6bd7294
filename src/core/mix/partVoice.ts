import type { Analysis } from '../analysis/analysis'
import { type AudioBlock, type Channels, silence } from '../audio/block'
import { downmixInto } from '../audio/downmix'
import { type SoundSource, soundSource } from '../audio/soundSource'
import { lowerBound } from '../dsp/search'
import { dbToAmplitude } from '../dsp/units'
import type { AnyMethod, Voice } from '../methods/method'
import { methodById } from '../methods/registry'
import { resolveSettings, type SettingValues } from '../methods/settings'
import { atRate } from '../render/atRate'
import { joinsFrom } from '../render/lanes'
import { openPlan, type Plan, planOf, preparePlan, sourceVoice } from '../render/openVoice'
import { type Recipe, type ResolvedRecipe, resolveRecipe } from '../render/recipe'
import type { Preparing } from '../task'
import { asOutput } from '../timeline/axes'
import { shiftedMap, type TimeMap } from '../timeline/timeMap'
import { addPart } from './addPart'
import { LAP_FADE_SECONDS, type LaidPart, type Lap } from './layPart'
import { roundSource } from './roundSource'

/** A part as it sounds: stereo at the mix's rate, over frames of the mix; silent outside of where it lies. */
export interface PartVoice extends Voice {
  readonly laid: LaidPart
  /** where reading has to begin so that from this frame on it comes to what reading all of it comes to */
  readsFrom(frame: number): number
  /** All that can be done before it begins at a frame, in small steps. The samples are the same without. */
  prepare(frame: number): Preparing
  /** the frame behind this one at which something has to be begun: a next round, or a next piece of a long one */
  nextStart(frame: number): number
}

/** a sound that is cut begins and ends over this, s */
const CUT_IN_SECONDS = 0.002
const CUT_OUT_SECONDS = 0.005
const CHUNK = 256
const PREPARED_SECONDS = 0.25

/**
 * Open a laid part on its sound.
 * A part whose recipe and map change nothing is its source, bit for bit, where rates agree.
 * @param known  of the sound: what the part's method needs.
 * @param rate  of the mix, Hz.
 * @throws {AppError} as `planOf`.
 */
export function openPart(laid: LaidPart, sound: AudioBlock | SoundSource, known: Analysis, rate: number): PartVoice {
  const source = soundSource(sound)
  const { part, from, to, laps } = laid
  const gain = dbToAmplitude(part.gainDb)
  const fade = Math.round(LAP_FADE_SECONDS * rate)
  const edge = edgesOf(laid, rate)
  const left = new Float32Array(CHUNK)
  const right = new Float32Array(CHUNK)
  const block = silence(source.channelCount, CHUNK)
  let recipe: ResolvedRecipe | undefined
  let opened: Opened[] = []
  const plans = new Map<Lap, Planned>()
  /** parts of the source that were made ready last: held on to, so that they stay as they were made */
  let prepared: unknown[] = []

  /** The part's recipe, with what its method picks for this material: picked once, for the source as it is. */
  function settled(): ResolvedRecipe {
    if (recipe) return recipe
    const resolved = resolveRecipe(part.recipe)
    const settingsOf = (method: AnyMethod, settings: SettingValues) =>
      resolveSettings(method.settings, settings, method.pick?.(known, source.sampleRate))
    const joins = resolved.joins?.map((join) => ({
      ...join,
      settings: settingsOf(methodById(join.methodId), join.settings),
    }))
    recipe = { ...resolved, settings: settingsOf(resolved.method, resolved.settings), ...(joins && { joins }) }
    return recipe
  }

  /** What a lap is made of: its source, or the round that it goes in, and the plan on that. */
  function planned(lap: Lap): Planned {
    const there = plans.get(lap)
    if (there) return there
    const round = laid.loop && roundSource(source, known, laid.loop)
    const own = round?.own ?? source
    const heard = round ? round.known : known
    const map = round ? shiftedMap(lap.map, round.start, own.frames) : lap.map
    const whole = settled()
    const ownRecipe = round && whole.joins ? joinsFrom(whole, round.start / source.sampleRate) : whole
    const plan = planOf(ownRecipe, own, heard.attacks, map)
    const made = { own, heard, plan, asItIs: asItIsFrom(map, part.recipe) }
    plans.set(lap, made)
    return made
  }

  function open(lap: Lap): Opened {
    const { own, heard, plan, asItIs } = planned(lap)
    const bare = sourceVoice(own)
    const { voice, seams }: { voice: Voice; seams: readonly number[] } =
      asItIs === undefined
        ? openPlan(own, plan, heard)
        : {
            voice: {
              read(frame, out) {
                readAhead(own, frame + asItIs)
                bare.read(frame + asItIs, out)
              },
            },
            seams: [],
          }
    return {
      lap,
      voice: atRate({ voice, channelCount: own.channelCount, sampleRate: own.sampleRate }, rate),
      starts: seams.map((seam) => lap.zero + Math.floor((seam / own.sampleRate) * rate)),
    }
  }

  function openedFor(lap: Lap): Opened {
    let there = opened.find((one) => one.lap === lap)
    if (!there) {
      there = open(lap)
      opened = [...opened.slice(-1), there]
    }
    return there
  }

  const ends = laps.map((lap) => lap.to)

  /** The laps that are heard between two frames; there may be thousands in all. */
  function lapsIn(start: number, end: number): readonly Lap[] {
    const first = lowerBound(ends, start + 1)
    let last = first
    while (last < laps.length && (laps[last] as Lap).zero < end) last++
    return laps.slice(first, last)
  }

  function add(lap: Lap, frame: number, out: Channels) {
    const isLast = lap === laps.at(-1)
    const count = (out[0] as Float32Array).length
    const start = Math.max(frame, lap.zero)
    const end = Math.min(frame + count, lap.to)
    const frames = end - start
    const channels = block.map((channel) => channel.subarray(0, frames))
    openedFor(lap).voice.read(start - lap.zero, channels)
    const [ownLeft, ownRight] = [left.subarray(0, frames), right.subarray(0, frames)]
    downmixInto(ownLeft, ownRight, channels)
    if (start >= lap.from && (isLast || end <= lap.to - fade)) {
      addPart(out, [ownLeft, ownRight], 1, start - frame)
      return
    }
    const [outLeft, outRight] = out as readonly [Float32Array, Float32Array]
    for (let i = 0; i < frames; i++) {
      const at = start + i
      let weight = 1
      if (lap.zero < lap.from && at < lap.from) weight = (at - lap.zero + 0.5) / fade
      if (!isLast && at >= lap.to - fade) weight *= (lap.to - at - 0.5) / fade
      const place = at - frame
      outLeft[place] = (outLeft[place] as number) + weight * (ownLeft[i] as number)
      outRight[place] = (outRight[place] as number) + weight * (ownRight[i] as number)
    }
  }

  return {
    laid,
    read(frame, out) {
      for (const channel of out) channel.fill(0)
      const end = Math.min(to, frame + (out[0]?.length ?? 0))
      for (let at = Math.max(from, frame); at < end; at += CHUNK) {
        const now = out.map((channel) => channel.subarray(at - frame, Math.min(end, at + CHUNK) - frame))
        for (const lap of lapsIn(at, at + (now[0] as Float32Array).length)) add(lap, at, now)
        const frames = (now[0] as Float32Array).length
        const level = edge.isFlat(at, at + frames) ? gain : undefined
        for (const channel of now)
          for (let i = 0; i < frames; i++) channel[i] = (level ?? gain * edge.at(at + i)) * (channel[i] as number)
      }
    },
    readsFrom: (frame) => Math.max(from, Math.min(frame, ...lapsIn(frame, frame + 1).map((lap) => lap.zero))),
    *prepare(frame) {
      const at = Math.max(from, frame)
      const lap = lapsIn(at, at + 1)[0]
      if (!lap) return
      const { own, heard, plan, asItIs } = planned(lap)
      yield
      if (asItIs === undefined) {
        const first = plan.map.sourceAt(asOutput(((at - lap.zero) / rate) * own.sampleRate))
        const last = Math.min(own.frames, first + PREPARED_SECONDS * own.sampleRate)
        const made = preparePlan(own, plan, heard, Math.max(0, first), last)
        // of where it begins, and of what comes next
        if (made) prepared = [...prepared.slice(-1), yield* made]
      } else {
        const first = Math.round(((at - lap.zero) / rate) * own.sampleRate) + asItIs
        while (!readAhead(own, first)) yield 'waits'
      }
      openedFor(lap)
    },
    nextStart(frame) {
      const n = lowerBound(ends, frame + 1)
      const starts = opened.find((one) => one.lap === laps[n])?.starts ?? []
      return starts[lowerBound(starts, frame + 1)] ?? laps[n + 1]?.zero ?? Number.POSITIVE_INFINITY
    },
  }
}

/** what passes as it is is read from its file so far ahead; a little of that is enough to begin, s */
const READ_AHEAD_SECONDS = 1.5
const ENOUGH_AHEAD_SECONDS = 0.2

/** Have what comes next of a slow source read; whether it is there. */
function readAhead({ ahead, frames, sampleRate }: SoundSource, from: number): boolean {
  const start = Math.max(0, Math.min(frames, from))
  const end = Math.min(frames, start + Math.round(READ_AHEAD_SECONDS * sampleRate))
  return !ahead || ahead(start, end) >= Math.min(end - start, ENOUGH_AHEAD_SECONDS * sampleRate)
}

interface Opened {
  readonly lap: Lap
  readonly voice: Voice
  /** frames of the mix at which its pieces begin, but for the first */
  readonly starts: readonly number[]
}

interface Planned {
  readonly own: SoundSource
  readonly heard: Analysis
  readonly plan: Plan
  /** it runs through it as it is, bit for bit, from this frame on */
  readonly asItIs: number | undefined
}

/** a speed this near to the source's own is its own, and a place this near the same, looked at so many times */
const SAME = 1e-9
const SAME_FRAMES = 1e-3
const LOOKS = 1000

/** The frame that a map begins with, where a sound passes at its own speed and pitch throughout. */
function asItIsFrom(map: TimeMap, recipe: Recipe): number | undefined {
  const { pitchSemitones, pitchLine, formants, formantSemitones } = recipe
  if (pitchSemitones !== 0 || pitchLine || (formants === 'shift' && formantSemitones)) return undefined
  const first = map.sourceAt(asOutput(0))
  for (let n = 0; n <= LOOKS; n++) {
    const at = (n / LOOKS) * map.length
    if (Math.abs(map.speedAt(asOutput(at)) - 1) > SAME) return undefined
    if (Math.abs(map.sourceAt(asOutput(at)) - first - at) > SAME_FRAMES) return undefined
  }
  return Math.round(first)
}

/** How loud its fades make a part at a frame of the mix, 0–1. A part that is cut out of its sound is faded anyway. */
function edgesOf({ part, from, to, startsInside, endsInside }: LaidPart, rate: number) {
  const fadeIn = Math.round(Math.max(part.fadeIn, startsInside ? CUT_IN_SECONDS : 0) * rate)
  const fadeOut = Math.round(Math.max(part.fadeOut, endsInside ? CUT_OUT_SECONDS : 0) * rate)
  const rise = (share: number) => share * share * (3 - 2 * share)
  return {
    at(frame: number): number {
      let level = 1
      if (frame - from < fadeIn) level = rise((frame - from + 0.5) / fadeIn)
      if (to - frame <= fadeOut) level *= rise((to - frame - 0.5) / fadeOut)
      return level
    },
    /** Whether it is as loud as can be from one frame up to another. */
    isFlat: (start: number, end: number) => start - from >= fadeIn && to - end >= fadeOut,
  }
}

const RUN_UP = 4096

/** The same part. Wherever reading begins, it comes to what reading all of it comes to: it runs up to there. */
export function withRunUp(voice: PartVoice): PartVoice {
  let at = Number.NaN
  return {
    ...voice,
    read(frame, out) {
      if (frame !== at) {
        const run = silence(2, RUN_UP)
        for (let from = voice.readsFrom(frame); from < frame; from += RUN_UP) {
          const count = Math.min(RUN_UP, frame - from)
          voice.read(
            from,
            run.map((channel) => channel.subarray(0, count)),
          )
        }
      }
      voice.read(frame, out)
      at = frame + (out[0]?.length ?? 0)
    },
  }
}
