import type { AudioBlock, Channels } from '../audio/block'
import { frameCount } from '../audio/block'
import { drawAt } from '../dsp/random'
import { lowerBound } from '../dsp/search'
import type { Voice } from '../methods/method'
import { methodById } from '../methods/registry'
import { resolveSettings, type SettingValues } from '../methods/settings'
import { asOutput, asSource, type OutputFrame } from '../timeline/axes'
import { constantPitch } from '../timeline/pitchLine'
import type { TimeMap } from '../timeline/timeMap'

/** How a sound sounds under the hand. Plain data. */
export interface HandOrder {
  readonly methodId: string
  readonly settings: SettingValues
  readonly semitones: number
  /** how far each window is thrown beside the place that is held, ms: a freeze does not buzz */
  readonly jitterMs: number
  /** how far apart the places are that left and right are of, ms */
  readonly spreadMs: number
  readonly seed: number
}

/** A source led by hand: a place that moves as it is told, forwards, backwards, or not at all. */
export interface Hand {
  readonly voice: Voice
  /** two where left and right are spread, whatever the source has */
  readonly channelCount: number
  /** From an output frame on it goes from where it is to a place within `overFrames`, and on from there at a speed. */
  lead(outputFrame: number, sourceFrame: number, overFrames: number, speed: number): void
  /** the place at an output frame */
  placeAt(outputFrame: number): number
}

interface Knot {
  readonly output: number
  readonly source: number
  /** source frames an output frame, from here on */
  readonly speed: number
}

const MOST_KNOTS = 4096

/**
 * Lead a source by hand.
 * @param first  the source frame that is held at the start.
 * @throws {RangeError} for a method that cannot be led.
 */
export function createHand(source: AudioBlock, order: HandOrder, first: number, speed = 0): Hand {
  const method = methodById(order.methodId)
  if (!method.ledByHand) throw new RangeError(`createHand: ${order.methodId} cannot be led by hand`)
  const frames = frameCount(source)
  let knots: Knot[] = [{ output: 0, source: first, speed }]
  const jitter = (order.jitterMs / 1000) * source.sampleRate

  function placeAt(output: number): number {
    let n = knots.length - 1
    while (n > 0 && (knots[n] as Knot).output > output) n--
    const knot = knots[n] as Knot
    return knot.source + (output - knot.output) * knot.speed
  }

  const within = (place: number) => Math.max(0, Math.min(frames - 1, place))
  /** What is held lies so many frames beside the hand's own place, and is thrown by draws of its own. */
  const mapBeside = (away: number, draws: number): TimeMap => ({
    sourceFrames: frames,
    length: Number.MAX_SAFE_INTEGER,
    outputFrames: Number.MAX_SAFE_INTEGER,
    sourceAt: (output) =>
      asSource(within(placeAt(output) + away + jitter * (2 * drawAt(order.seed, Math.round(output), draws) - 1))),
    // nobody asks when a place is reached by hand
    outputAt: (frame) => asOutput(frame),
    speedAt(output: OutputFrame) {
      let n = knots.length - 1
      while (n > 0 && (knots[n] as Knot).output > output) n--
      return (knots[n] as Knot).speed
    },
  })
  const open = (channels: Channels, away: number, draws: number) =>
    method.open({
      source: { sampleRate: source.sampleRate, channels },
      map: mapBeside(away, draws),
      pitch: constantPitch(order.semitones),
      formantRatioAt: () => 1,
      settings: resolveSettings(method.settings, order.settings),
      seed: order.seed,
      analysis: { attacks: [] },
    })
  const { channels } = source
  const spread = (order.spreadMs / 1000) * source.sampleRate
  const isSpread = spread > 0 && channels.length <= 2
  const left = isSpread ? open(channels.slice(0, 1), -spread / 2, 7) : open(channels, 0, 7)
  const right = isSpread ? open(channels.slice(-1), spread / 2, 8) : undefined
  const voice: Voice = right
    ? {
        read(frame, out) {
          left.read(frame, out.slice(0, 1))
          right.read(frame, out.slice(1, 2))
        },
      }
    : left
  return {
    voice,
    channelCount: isSpread ? 2 : channels.length,
    placeAt: (output) => within(placeAt(output)),
    lead(output, place, overFrames, onward) {
      const here = within(placeAt(output))
      const over = Math.max(1, overFrames)
      const kept = knots.slice(
        0,
        lowerBound(
          knots.map((knot) => knot.output),
          output,
        ),
      )
      knots = [
        ...kept,
        { output, source: here, speed: (within(place) - here) / over },
        { output: output + over, source: within(place), speed: onward },
      ].slice(-MOST_KNOTS)
    },
  }
}
