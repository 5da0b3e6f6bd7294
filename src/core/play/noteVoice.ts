import { silence } from '../audio/block'
import { downmixInto } from '../audio/downmix'
import { sinTurns, square } from '../dsp/portable'
import { createSteppedSincReaders } from '../dsp/sinc'
import type { Voice } from '../methods/method'
import { readBack } from '../methods/readBack'
import { atRate } from '../render/atRate'
import { openPlan, type Plan, planOf } from '../render/openVoice'
import type { Recipe } from '../render/recipe'
import { asOutput } from '../timeline/axes'
import { constantPitch, type PitchLine, pointPitch } from '../timeline/pitchLine'
import { MOST_INTERVAL, type ReadyInstrument } from './instrument'

/** One note of an instrument, in stereo at the output's rate, without its envelope. */
export interface NoteVoice {
  /** how long it lasts if nobody ends it, frames of the output */
  readonly frames: number
  /** frames over which it rises and, at its own end, falls */
  readonly fadeIn: number
  readonly fadeOut: number
  /** Frames from `from` on, counted from its start; silence behind its end. */
  read(from: number, left: Float32Array, right: Float32Array): void
}

/** how fast a key is played: as loud as it is at 1, 40 dB softer at a tenth */
const velocityGain = (velocity: number) => square(Math.max(0, Math.min(1, velocity)))

const TAPE_WIDTH = 64
const TAPE_ATTENUATION_DB = 94
const TAPE_MOST_RATIO = 8
const CHUNK = 128

/**
 * Open a note.
 * @param key  69 is A at 440 Hz.
 * @param glideFrom  the key it comes from, where it glides.
 */
export function openNote(
  instrument: ReadyInstrument,
  key: number,
  velocity: number,
  rate: number,
  glideFrom?: number,
): NoteVoice {
  const { order, source, cut } = instrument
  const { sampleRate, channelCount } = source
  const interval = intervalOf(key, order.root)
  const glides = glideFrom !== undefined && order.glideMs > 0 && glideFrom !== key
  const line = glides
    ? [
        { outputSeconds: 0, semitones: intervalOf(glideFrom, order.root) - interval },
        { outputSeconds: order.glideMs / 1000, semitones: 0 },
      ]
    : undefined
  const tape = order.length === 'tape'
  const ratio = tape ? (line ? pointPitch(line, sampleRate, interval) : constantPitch(interval)) : undefined
  const plan = planFor(instrument, tape ? 0 : interval, tape ? undefined : line)
  const voice = openPlan(source, plan, instrument.known).voice
  const own: Voice = { read: (frame, out) => voice.read(frame + cut.from, out) }
  const length = Math.min(cut.to, plan.map.outputFrames) - cut.from
  const turned = ratio ? taped(own, channelCount, ratio) : own
  const turnedLength = ratio ? Math.round(ratio.fromTuned(length)) : length
  const read = atRate({ voice: turned, channelCount, sampleRate }, rate)
  const scale = rate / sampleRate
  const frames = Math.max(1, Math.round(turnedLength * scale))
  const loud = instrument.gain * velocityGain(velocity)
  const [gainLeft, gainRight] = panGains(order.pan, loud)
  const block = silence(channelCount, CHUNK)
  return {
    frames,
    fadeIn: Math.max(1, Math.round(Math.max(cut.fadeIn * scale, (order.attackMs / 1000) * rate))),
    fadeOut: Math.max(1, Math.round(cut.fadeOut * scale)),
    read(from, left, right) {
      for (let done = 0; done < left.length; done += CHUNK) {
        const count = Math.min(CHUNK, left.length - done)
        const [l, r] = [left.subarray(done, done + count), right.subarray(done, done + count)]
        const at = from + done
        if (at + count <= 0 || at >= frames) {
          l.fill(0)
          r.fill(0)
          continue
        }
        const out = count === CHUNK ? block : block.map((channel) => channel.subarray(0, count))
        if (at >= 0) read.read(at, out)
        else {
          for (const channel of out) channel.fill(0, 0, -at)
          read.read(
            0,
            out.map((channel) => channel.subarray(-at)),
          )
        }
        downmixInto(l, r, out)
        for (let i = 0; i < count; i++) {
          l[i] = gainLeft * (l[i] as number)
          r[i] = gainRight * (r[i] as number)
        }
      }
    },
  }
}

const intervalOf = (key: number, root: number) => Math.max(-MOST_INTERVAL, Math.min(MOST_INTERVAL, key - root))

/** Left and right of a balance: what goes to one side leaves the other, the middle stays as it is. */
function panGains(pan: number, gain: number): readonly [number, number] {
  return [gain * Math.min(1, 1 - pan), gain * Math.min(1, 1 + pan)]
}

function planFor(instrument: ReadyInstrument, interval: number, line: Recipe['pitchLine']): Plan {
  const { recipe, source, known, plans, cut } = instrument
  const semitones = recipe.pitchSemitones + interval
  const make = (over: Partial<Recipe>) =>
    planOf({ ...recipe, pitchSemitones: semitones, ...over }, source, known.attacks)
  if (line) {
    const begins = cut.from / source.sampleRate
    return make({ pitchLine: line.map((point) => ({ ...point, outputSeconds: point.outputSeconds + begins })) })
  }
  const key = String(semitones)
  const made = plans.get(key) ?? make({})
  plans.set(key, made)
  return made
}

/** A voice at another speed, its pitch with it. */
function taped(voice: Voice, channelCount: number, ratio: PitchLine): Voice {
  if (ratio.constantRatio === 1) return voice
  const readers = createSteppedSincReaders(TAPE_WIDTH, TAPE_ATTENUATION_DB)
  const most = Math.min(TAPE_MOST_RATIO, ratio.constantRatio ?? TAPE_MOST_RATIO)
  return readBack(voice, channelCount, {
    reach: readers(most).reachFrames,
    mostRatio: most,
    positionAt: (frame) => ratio.toTuned(asOutput(frame)),
    readerAt: (frame) => readers(ratio.constantRatio ?? ratio.ratioAt(asOutput(frame))),
  })
}

/** How loud a note is over its own frames; it can be let go at any of them. */
export interface Envelope {
  at(frame: number): number
  /** the level of all frames from one up to another, where it is one; undefined where it changes */
  steady(from: number, to: number): number | undefined
  /** From a frame on it fades away within so many; an earlier end stays. */
  release(frame: number, frames: number): void
  /** the frame from which on it is silent */
  readonly end: number
  readonly released: number | undefined
}

export function createEnvelope({
  frames,
  fadeIn,
  fadeOut,
}: Pick<NoteVoice, 'frames' | 'fadeIn' | 'fadeOut'>): Envelope {
  // each fades what is left by those before it: nothing steps, and what was heard before stays as it was
  const releases: { readonly from: number; readonly frames: number }[] = []
  const endOf = () => releases.reduce((least, one) => Math.min(least, Math.ceil(one.from + one.frames)), frames)
  return {
    at(frame) {
      if (frame < 0 || frame >= endOf()) return 0
      const rise = frame < fadeIn ? square(sinTurns((frame + 0.5) / (4 * fadeIn))) : 1
      const left = frames - frame
      let level = left < fadeOut ? rise * square(sinTurns((left - 0.5) / (4 * fadeOut))) : rise
      for (const { from, frames: over } of releases)
        if (frame > from) level *= square(sinTurns(0.25 + (frame - from) / over / 4))
      return level
    },
    steady(from, to) {
      if (to <= 0 || from >= endOf()) return 0
      const begun = from >= fadeIn && to <= frames - fadeOut
      return begun && releases.every((one) => to <= one.from) ? 1 : undefined
    },
    release(frame, over) {
      const next = { from: Math.max(0, frame), frames: Math.max(1, over) }
      // one that would be silent later adds nothing
      if (releases.length === 0 || next.from + next.frames < endOf()) releases.push(next)
    },
    get end() {
      return endOf()
    },
    get released() {
      return releases[0]?.from
    },
  }
}
