import {
  type Analysis,
  type AudioBlock,
  analyse,
  asOutput,
  asSource,
  needsOf,
  openPlan,
  type Plan,
  type Preparing,
  planOf,
  preparePlan,
  type Recipe,
  type SoundSource,
  silence,
  soundSource,
  sourceVoice,
  straightMap,
  type TimeMap,
  type Voice,
} from '../core'
import { downmixInto } from '../core/audio/downmix'
import { lowerBound } from '../core/dsp/search'

/** What one lane plays: the source itself, or a recipe of it; at a gain. */
export interface LaneOrder {
  readonly recipe: Recipe | undefined
  readonly gain: number
}

/** All that decides what is heard. A new program takes effect at once, cross-faded from what was heard before. */
export interface Program {
  readonly lanes: readonly LaneOrder[]
  readonly active: number
  /** in source frames, end exclusive */
  readonly loop: { readonly start: number; readonly end: number } | undefined
  /** how long one lane takes over from another, s */
  readonly switchSeconds?: number
}

interface Opened {
  readonly order: LaneOrder
  readonly voice: Voice
  readonly map: TimeMap
  /** output frames at which its pieces begin, but for the first */
  readonly seams: readonly number[]
}

/** A lane on its way: where it will begin, and what is still to be done for it. */
interface Coming {
  /** the place that was asked for; undefined for wherever the sound has come by then */
  readonly seekTo: number | undefined
  readonly seconds: number
  work: Preparing
  /** source frames that will be ready when the work is done */
  readyTo: number
}

/** how far from where it is asked for a lane is got ready, so that it is still there when the work is done */
const READY_AHEAD_SECONDS = 0.25

/** One voice being heard, at its own place in its own result. */
interface Stream extends Opened {
  frame: number
  weight: number
  /** change of weight per frame */
  slope: number
  gain: number
  gainGoal: number
}

/** long enough for no click, short enough for an edge to stay one */
const SWITCH_SECONDS = 0.012
const LOOP_FADE_SECONDS = 0.003
const GAIN_SECONDS = 0.02
const START_FADE_SECONDS = 0.002
/** how far ahead a source that is heard as it is has been read: less than a block of it */
const LOOK_FRAMES = 1 << 14
/** the longest run that is read at once */
const CHUNK = 128

/** For whoever keeps what was read last: a new lane may be laid over that instead of coming behind it. */
export interface HandOver {
  /** the source frame from which that could be done now */
  place(): number | undefined
  /**
   * A lane could take over, at a source frame or, without one, where the sound has come. To lay it over what was read, `restartAt`, read
   * that much, and say true; otherwise it takes over in what is read next.
   */
  lay(seekTo: number | undefined, seconds: number): boolean
}

/**
 * Plays one lane of a source at a time, and moves between lanes, recipes, places and loop ends without a gap: whatever
 * changes, the new voice starts at the same place of the source and the old one fades under it. Weights of all voices
 * that sound together are brought to a sum of 1, so no change, however quick, drops or doubles the level.
 *
 * Pure: no clock, no messages. `read` makes the next frames and says which source frame they start at.
 */
export function createLaneMixer(
  sound: AudioBlock | SoundSource,
  first: Program,
  startSourceFrame: number,
  known: Analysis = {},
  handOver?: HandOver,
) {
  let analysis = known
  const source = soundSource(sound)
  const { sampleRate, frames, channelCount } = source
  const block = silence(channelCount, CHUNK)
  const left = new Float32Array(CHUNK)
  const right = new Float32Array(CHUNK)
  const sumLeft = new Float32Array(CHUNK)
  const sumRight = new Float32Array(CHUNK)
  const sumWeight = new Float32Array(CHUNK)
  const sourceMap = straightMap(frames, 1)
  let program = first
  let streams: Stream[] = []
  let plans = new WeakMap<Recipe, { readonly plan: Plan; readonly known: Analysis }>()
  let ended = false
  /** a lane that takes long to begin: it is got ready while what is heard goes on, and takes over then */
  let coming: Coming | undefined
  /** the work for what comes behind this frame of what is heard: its next piece, or the loop's start */
  let ahead: { readonly from: number; readonly work: Preparing | undefined } | undefined

  /** The stream that is coming or has come; the others are leaving. */
  const current = () => streams[streams.length - 1] as Stream
  const orderOf = (p: Program) => p.lanes[p.active] as LaneOrder

  /** What a recipe comes to, found out once for as long as no more becomes known of the source. */
  function planned(recipe: Recipe): { readonly plan: Plan; readonly known: Analysis } {
    let made = plans.get(recipe)
    if (!made) {
      const known = analyse(sound, needsOf(recipe), analysis)
      made = { plan: planOf(recipe, source, known.attacks), known }
      plans.set(recipe, made)
    }
    return made
  }

  function open(order: LaneOrder): Opened {
    if (!order.recipe) return { order, voice: sourceVoice(source), map: sourceMap, seams: [] }
    const { plan, known } = planned(order.recipe)
    const { voice, map, seams } = openPlan(source, plan, known)
    return { order, voice, map, seams }
  }

  /** Let a new voice take over within `seconds`, playing output frame `frame` of its map first. */
  function enter(lane: Opened, frame: number, seconds: number) {
    const slope = 1 / Math.max(1, Math.round(seconds * sampleRate))
    for (const stream of streams) stream.slope = -slope
    const { gain } = lane.order
    const alone = streams.length === 0
    ahead = undefined
    streams.push({ ...lane, frame, weight: alone ? 1 : 0, slope: alone ? 0 : slope, gain, gainGoal: gain })
    ended = false
  }

  function enterAt(sourceFrame: number, seconds: number) {
    const lane = open(orderOf(program))
    enter(lane, Math.round(lane.map.outputAt(asSource(sourceFrame))), seconds)
  }

  /** The work before a lane can begin at a source frame without holding up what is heard; undefined where there is none. */
  function preparing(order: LaneOrder, from: number): Coming['work'] | undefined {
    const to = Math.min(frames, from + READY_AHEAD_SECONDS * sampleRate)
    if (!order.recipe) return undefined
    const { plan, known } = planned(order.recipe)
    return preparePlan(source, plan, known, from, to)
  }

  /** Let the active lane take over, at a place or where the sound has come: at once, or when it is ready. */
  function bring(seekTo: number | undefined, seconds: number) {
    const from = seekTo ?? handOver?.place() ?? sourceFrame()
    const work = preparing(orderOf(program), from)
    coming = work && { seekTo, seconds, work, readyTo: from + READY_AHEAD_SECONDS * sampleRate }
    if (!coming) takeOver(seekTo, seconds)
  }

  function takeOver(seekTo: number | undefined, seconds: number) {
    if (!handOver?.lay(seekTo, seconds)) enterAt(seekTo ?? sourceFrame(), seconds)
  }

  function sourceFrame(): number {
    const stream = current()
    return stream.map.sourceAt(asOutput(stream.frame))
  }

  /** Have the block of the source there that a frame lies in. */
  function* touch(frame: number): Generator<void> {
    const at = Math.max(0, Math.min(frames - 1, Math.round(frame)))
    source.part(at, at + 1)
    yield
  }

  /** Have what is heard next ready before it is: the next piece, or the place that a loop comes back to. */
  function lookAhead() {
    const { order, map, seams, frame } = current()
    const { loop } = program
    if (!order.recipe && source.slow) {
      const goesBack = loop && frame <= loop.end && frame + LOOK_FRAMES > loop.end
      ahead = { from: frame + LOOK_FRAMES / 2, work: touch(goesBack ? loop.start : frame + LOOK_FRAMES) }
      return
    }
    const seam = seams[lowerBound(seams, frame + 1)] ?? Number.POSITIVE_INFINITY
    const loopEnd = loop ? map.outputAt(asSource(loop.end)) : Number.POSITIVE_INFINITY
    const goesBack = loop && loopEnd > frame && loopEnd <= seam
    const from = goesBack ? loopEnd : seam
    const place = goesBack ? loop.start : map.sourceAt(asOutput(Math.min(map.outputFrames, seam + CHUNK)))
    ahead = { from, work: Number.isFinite(from) ? preparing(order, place) : undefined }
  }

  enterAt(startSourceFrame, 0)
  // a start inside the sound must not click; one at its very start is its own
  let startFade = startSourceFrame > 0 ? Math.round(START_FADE_SECONDS * sampleRate) : 0
  const startFadeLength = Math.max(1, startFade)

  /** Frames until the loop's fade begins, or until the sound ends. */
  function framesToEvent(): number {
    const stream = current()
    const { loop } = program
    if (loop) {
      const end = Math.round(stream.map.outputAt(asSource(loop.end)))
      const start = Math.round(stream.map.outputAt(asSource(loop.start)))
      const fade = Math.min(Math.round(LOOP_FADE_SECONDS * sampleRate), Math.max(1, Math.floor((end - start) / 4)))
      // past the loop's end the sound runs on to its own end and only then comes back
      if (stream.frame < end) return Math.max(0, end - fade - stream.frame)
    }
    return Math.max(0, stream.map.outputFrames - stream.frame)
  }

  function event() {
    const stream = current()
    const { loop } = program
    if (!loop) {
      ended = true
      return
    }
    // what is heard goes round; what is on its way takes over when it is ready
    const lane = open(coming ? current().order : orderOf(program))
    const start = Math.round(lane.map.outputAt(asSource(loop.start)))
    const end = Math.round(stream.map.outputAt(asSource(loop.end)))
    const ahead = Math.max(1, end - stream.frame)
    if (stream.frame >= end) enter(lane, start, LOOP_FADE_SECONDS)
    else enter(lane, start - ahead, ahead / sampleRate)
  }

  function addStream(stream: Stream, count: number) {
    const out = count === CHUNK ? block : block.map((channel) => channel.subarray(0, count))
    stream.voice.read(stream.frame, out)
    stream.frame += count
    downmixInto(
      count === CHUNK ? left : left.subarray(0, count),
      count === CHUNK ? right : right.subarray(0, count),
      out,
    )
    const gainStep = 1 / (GAIN_SECONDS * sampleRate)
    for (let i = 0; i < count; i++) {
      const missing = stream.gainGoal - stream.gain
      stream.gain += Math.abs(missing) <= gainStep ? missing : Math.sign(missing) * gainStep
      sumLeft[i] = (sumLeft[i] as number) + stream.weight * stream.gain * (left[i] as number)
      sumRight[i] = (sumRight[i] as number) + stream.weight * stream.gain * (right[i] as number)
      sumWeight[i] = (sumWeight[i] as number) + stream.weight
      stream.weight = Math.min(1, Math.max(0, stream.weight + stream.slope))
    }
  }

  return {
    get ended() {
      return ended
    },
    sourceFrame,
    /** What more has become known of the source; lanes that are opened from now on use it. */
    setAnalysis(next: Analysis) {
      analysis = next
      plans = new WeakMap()
    },
    /** Take over a new program; what is heard follows within a few milliseconds. */
    setProgram(next: Program) {
      const before = orderOf(program)
      const after = orderOf(next)
      program = next
      // what is heard may still be another lane than the one before: the one that was to come is let go
      const other = JSON.stringify(before.recipe) !== JSON.stringify(after.recipe)
      if (other) bring(undefined, next.switchSeconds ?? SWITCH_SECONDS)
      else if (!coming) current().gainGoal = after.gain
      ahead = undefined
    },
    /** Whether a lane is on its way that takes long to begin. */
    get waits(): boolean {
      return coming !== undefined
    },
    seek(frame: number) {
      bring(frame, SWITCH_SECONDS)
    },
    /** Go on with the active lane alone, from a source frame and without a fade. */
    restartAt(frame: number) {
      streams = []
      enterAt(frame, 0)
    },
    /**
     * Do a little of what a lane needs that is on its way; false when there is nothing to do. To be called in spare time: what is
     * heard goes on without it.
     */
    work(): boolean {
      if (!coming) {
        if (!ahead || current().frame >= ahead.from) lookAhead()
        if (ahead?.work?.next().done) ahead = { from: ahead.from, work: undefined }
        return ahead?.work !== undefined
      }
      if (!coming.work.next().done) return true
      const { seekTo, seconds, readyTo } = coming
      const here = seekTo ?? handOver?.place() ?? sourceFrame()
      // the sound has gone on meanwhile; past what is ready, or back in a loop, a little more is to be done
      const work =
        here > readyTo || here < readyTo - 2 * READY_AHEAD_SECONDS * sampleRate
          ? preparing(orderOf(program), here)
          : undefined
      if (work) {
        coming = { seekTo, seconds, work, readyTo: here + READY_AHEAD_SECONDS * sampleRate }
        return true
      }
      coming = undefined
      takeOver(seekTo, seconds)
      return true
    },
    /** Fill both arrays; after the end they are silent. Returns the source frame at their start. */
    read(outLeft: Float32Array, outRight: Float32Array): number {
      const startsAt = sourceFrame()
      for (let done = 0; done < outLeft.length; ) {
        if (ended) {
          outLeft.fill(0, done)
          outRight.fill(0, done)
          break
        }
        const until = framesToEvent()
        if (until === 0) {
          event()
          continue
        }
        const count = Math.min(CHUNK, outLeft.length - done, until)
        sumLeft.fill(0)
        sumRight.fill(0)
        sumWeight.fill(0)
        for (const stream of streams) addStream(stream, count)
        for (let i = 0; i < count; i++) {
          // only division by a sum that is not 1 changes samples: a lone voice passes bit for bit
          const weight = sumWeight[i] as number
          const scale = weight === 1 ? 1 : 1 / Math.max(weight, 1e-6)
          const fade = startFade > 0 ? 1 - startFade-- / startFadeLength : 1
          outLeft[done + i] = (sumLeft[i] as number) * scale * fade
          outRight[done + i] = (sumRight[i] as number) * scale * fade
        }
        streams = streams.filter((stream) => stream === current() || stream.weight > 0)
        if (streams.length === 1) {
          current().weight = 1
          current().slope = 0
        }
        done += count
      }
      return startsAt
    },
  }
}

export type LaneMixer = ReturnType<typeof createLaneMixer>
