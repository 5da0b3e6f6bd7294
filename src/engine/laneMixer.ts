import {
  type Analysis,
  type AudioBlock,
  asOutput,
  asSource,
  frameCount,
  openRendering,
  type Recipe,
  silence,
  sourceVoice,
  straightMap,
  type TimeMap,
  type Voice,
} from '../core'
import { downmixInto } from './downmix'

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

/** One voice being heard, at its own place in its own result. */
interface Stream {
  readonly voice: Voice
  readonly map: TimeMap
  frame: number
  weight: number
  /** change of weight per frame */
  slope: number
  gain: number
  gainGoal: number
}

/** long enough for no click, short enough for an edge to stay one */
export const SWITCH_SECONDS = 0.012
const LOOP_FADE_SECONDS = 0.003
const GAIN_SECONDS = 0.02
const START_FADE_SECONDS = 0.002
/** the longest run that is read at once */
const CHUNK = 128

/**
 * Plays one lane of a source at a time, and moves between lanes, recipes, places and loop ends without a gap: whatever
 * changes, the new voice starts at the same place of the source and the old one fades under it. Weights of all voices
 * that sound together are brought to a sum of 1, so no change, however quick, drops or doubles the level.
 *
 * Pure: no clock, no messages. `read` makes the next frames and says which source frame they start at.
 */
export function createLaneMixer(source: AudioBlock, first: Program, startSourceFrame: number, known: Analysis = {}) {
  let analysis = known
  const { sampleRate } = source
  const frames = frameCount(source)
  const channelCount = source.channels.length
  const block = silence(channelCount, CHUNK)
  const left = new Float32Array(CHUNK)
  const right = new Float32Array(CHUNK)
  const sumLeft = new Float32Array(CHUNK)
  const sumRight = new Float32Array(CHUNK)
  const sumWeight = new Float32Array(CHUNK)
  const sourceMap = straightMap(frames, 1)
  let program = first
  let streams: Stream[] = []
  let ended = false

  /** The stream that is coming or has come; the others are leaving. */
  const current = () => streams[streams.length - 1] as Stream
  const orderOf = (p: Program) => p.lanes[p.active] as LaneOrder

  function open(order: LaneOrder): { voice: Voice; map: TimeMap } {
    if (!order.recipe) return { voice: sourceVoice(source), map: sourceMap }
    const { voice, map } = openRendering(source, order.recipe, analysis)
    return { voice, map }
  }

  /** Let a new voice take over within `seconds`, playing output frame `frame` of its map first. */
  function enter(lane: { voice: Voice; map: TimeMap }, frame: number, seconds: number) {
    const slope = 1 / Math.max(1, Math.round(seconds * sampleRate))
    for (const stream of streams) stream.slope = -slope
    const { gain } = orderOf(program)
    const alone = streams.length === 0
    streams.push({ ...lane, frame, weight: alone ? 1 : 0, slope: alone ? 0 : slope, gain, gainGoal: gain })
    ended = false
  }

  function enterAt(sourceFrame: number, seconds: number) {
    const lane = open(orderOf(program))
    enter(lane, Math.round(lane.map.outputAt(asSource(sourceFrame))), seconds)
  }

  function sourceFrame(): number {
    const stream = current()
    return stream.map.sourceAt(asOutput(stream.frame))
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
    const lane = open(orderOf(program))
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
    },
    /** Take over a new program; what is heard follows within a few milliseconds. */
    setProgram(next: Program) {
      const before = orderOf(program)
      const after = orderOf(next)
      const here = sourceFrame()
      program = next
      if (JSON.stringify(before.recipe) !== JSON.stringify(after.recipe))
        enterAt(here, next.switchSeconds ?? SWITCH_SECONDS)
      else current().gainGoal = after.gain
    },
    seek(frame: number) {
      enterAt(frame, SWITCH_SECONDS)
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
