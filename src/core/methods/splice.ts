import { pickWithin, usualGapMs } from '../analysis/material'
import type { AudioBlock } from '../audio/block'
import { frameCount } from '../audio/block'
import { splitBands } from '../dsp/bands'
import { cosTurns, exp, ln, square } from '../dsp/portable'
import { drawAt } from '../dsp/random'
import { lowerBound } from '../dsp/search'
import { createSimilaritySearch } from '../dsp/similarity'
import { asSource } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import { defineMethod, type Voice } from './method'
import { pitchByResampling } from './pitchByResampling'
import { choice, number, type SettingsOf } from './settings'

const schema = {
  tail: choice({
    label: 'Tails',
    options: [
      { value: 'auto', label: 'By the sound' },
      { value: 'match', label: 'Carry on, matched' },
      { value: 'noise', label: 'Carry on, as noise' },
      { value: 'decay', label: 'End by themselves' },
    ],
    default: 'auto',
    trades:
      'How a hit goes on when there is more room than it lasts: repeats of its tail, fitted or scattered, or silence.',
  }),
  fadeMs: number({
    label: 'Cut fade',
    unit: 'ms',
    min: 1,
    max: 80,
    default: 12,
    scale: 'log',
    trades: 'How long a tail still sounds under the next hit when there is too little room.',
  }),
  leadMs: number({
    label: 'Lead',
    unit: 'ms',
    min: 0.2,
    max: 10,
    step: 0.1,
    default: 0.6,
    scale: 'log',
    trades: 'How much of what comes before an attack belongs to it. More keeps soft attacks whole.',
  }),
}

/**
 * Cuts at the attacks and puts every piece whole at its mapped time. Where there is less room than a piece lasts, its tail
 * fades under the next attack; where there is more, the tail is carried on by pieces of itself, each joined where the
 * waveform fits best, at the level to which the tail's own decay has come by then.
 */
export const splice = defineMethod({
  id: 'splice',
  label: 'Attack splice',
  family: 'transient',
  use: 'Hits and loops, 0.6 to 1.6 times: every stroke stays as it was played.',
  needs: ['attacks'],
  exactSeek: true,
  tiesPitchToSpeed: false,
  pitchBy: 'reading back',
  ownFormants: false,
  gainsByHold: true,
  seeded: true,
  timesRealTime: 300,
  settings: schema,
  // a tail may sound under the next hit for a small share of the time between hits
  pick(analysis, sampleRate) {
    const gapMs = usualGapMs(analysis, sampleRate)
    return { fadeMs: pickWithin(gapMs && gapMs / 25, 4, 20, 12) }
  },
  latencyFrames: (settings, sampleRate) => Math.ceil(((settings.fadeMs + settings.leadMs) / 1000) * sampleRate),
  open: ({ source, map, pitch, settings, analysis, seed }) =>
    pitchByResampling(source.channels.length, map, pitch, (inner, ratioAt) =>
      spliceVoice(
        source,
        inner,
        (analysis.attacks ?? []).map((attack) => attack.frame),
        settings,
        seed,
        { ratioAt },
      ),
    ),
})

/** A run of source laid into the result: fades at both ends, and one gain. */
interface Cut {
  readonly output: number
  readonly source: number
  readonly length: number
  readonly fadeIn: number
  readonly fadeOut: number
  /** fades whose two sides are unlike add up in power, fades of like ones in amplitude */
  readonly power: boolean
  readonly gain: number
  /** its sound in bands, where each is turned up and down over time */
  readonly turned?: readonly TurnedBand[]
}

/** One band of a cut, from the cut's start on in each channel, and by how much it is turned `n` frames into the cut. */
interface TurnedBand {
  readonly samples: readonly Float32Array[]
  gainAt(n: number): number
}

/** At what ratio a piece will be read back, its sound, and how that dies away. */
interface Turning {
  readonly ratio: number
  readonly whole: readonly Float32Array[]
  readonly decay: Decay
}

/** How a sound dies away: natural log of its level at a frame from a piece's start. */
type Decay = (frame: number) => number

/** from what correlation on two ends count as the same waveform */
const ALIKE = 0.5
/** pieces that carry a tail on: their length, the shortest tail they can be taken from, and how they overlap */
const CARRY_SECONDS = 0.07
const LEAST_TAIL_SECONDS = 0.012
const JOIN_SECONDS = 0.014
/** a stroke's first moments are no tail */
const BODY_SECONDS = 0.04
const MOST_SEARCH_SECONDS = 0.09
/** what lies this far below its start is left to end (−80 dB) */
const INAUDIBLE = 1e-4
/** a piece's level is taken this often, down to 70 dB below its start, and turned by at most 30 dB */
const LEVEL_STEP_SECONDS = 0.003
/** high parts of a hit die away faster than low ones: each band (Hz) is turned by itself, its level taken this often */
const BAND_EDGES = [300, 1200, 4800]
const BAND_STEP_SECONDS = [0.006, 0.003, 0.002, 0.001]
/** so many samples of all channels are split at once; what has more without an attack is no hit, and takes too long */
const MOST_BANDED = 2 ** 18
/** gains are found this often, and lie on lines between, frames */
const GAIN_STEP = 16
/** so many pieces stay as they were laid out; fewer of those that hold sound of their own */
const MOST_KNOWN = 256
const MOST_TURNED = 32
const LEVEL_RANGE = 8
const LEAST_DECAY_SECONDS = 0.03
/** a tail that has fallen by 40 dB is spent */
const SPENT = 4.6
const MOST_GAIN = 31.6

/** What `splice` does when nothing is set. */
export const spliceDefaults: SettingsOf<typeof schema> = {
  tail: schema.tail.default,
  fadeMs: schema.fadeMs.default,
  leadMs: schema.leadMs.default,
}

export interface SpliceShape {
  /** told which source frames are about to be read */
  readonly ready?: (from: number, to: number) => void
  /** pieces longer than this, in source frames, are left to end by themselves: they have done so by then */
  readonly carriedUpTo?: number
  /** source frames after which a piece has ended by itself, however long it is until the next one */
  readonly endsBy?: number
  /** at what ratio a frame of the result will be read back: a stroke then dies away as it did, however fast it is read */
  ratioAt?(frame: number): number
}

/** Also how other methods place attacks. */
export function spliceVoice(
  source: AudioBlock,
  map: TimeMap,
  attacks: readonly number[],
  settings: SettingsOf<typeof schema>,
  seed: number,
  { ready, carriedUpTo = Number.POSITIVE_INFINITY, endsBy = Number.POSITIVE_INFINITY, ratioAt }: SpliceShape = {},
): Voice {
  const { sampleRate, channels } = source
  const frames = frameCount(source)
  const lead = Math.max(1, Math.round((settings.leadMs / 1000) * sampleRate))
  const fade = Math.max(1, Math.round((settings.fadeMs / 1000) * sampleRate))
  const join = Math.max(2, Math.round(JOIN_SECONDS * sampleRate))
  const mostSearch = Math.round(MOST_SEARCH_SECONDS * sampleRate)
  const search = createSimilaritySearch(source, join, mostSearch)
  // borders in the source, and where they come to lie in the result
  const borders = [0, ...attacks.map((frame) => frame - lead).filter((frame) => frame > 0)]
  const places = borders.map((frame, i) =>
    i === 0 ? Math.round(map.outputAt(asSource(0))) : Math.round(map.outputAt(asSource(frame + lead))) - lead,
  )
  const end = Math.max(map.outputFrames, Math.ceil(map.length))
  const known = new Map<number, readonly Cut[]>()

  /** The last piece that begins at or before an output frame; the first one where none does. */
  const pieceAt = (output: number) => Math.max(0, lowerBound(places, output + 1) - 1)

  function cutsOf(piece: number): readonly Cut[] {
    const cached = known.get(piece)
    if (cached) return cached
    const from = borders[piece] as number
    const to = borders[piece + 1] ?? frames
    // what is searched in, and laid again; a piece that is left to end by itself is got ready as it is read
    if (to - from <= carriedUpTo) ready?.(from - join, to + fade + join)
    const turning = turningOf(piece, Math.min(to, from + endsBy))
    const laid = layOut(piece, turning)
    const cuts = turning ? keepDecay(piece, laid, turning) : laid
    known.set(piece, cuts)
    if (known.size > (turning ? MOST_TURNED : MOST_KNOWN)) known.delete(known.keys().next().value as number)
    return cuts
  }

  /** How a piece dies away, and how fast it will be read back; undefined where that changes nothing. */
  function turningOf(piece: number, sourceEnd: number): Turning | undefined {
    const ratio = ratioAt?.(places[piece] as number) ?? 1
    const start = borders[piece] as number
    // what is shorter than a stroke has no decay to speak of
    if (Math.abs(ratio - 1) < 1e-4 || sourceEnd - start < LEAST_DECAY_SECONDS * sampleRate) return undefined
    ready?.(start, sourceEnd)
    const whole = channels.map((channel) => channel.subarray(start, sourceEnd))
    return { ratio, whole, decay: decayOf(whole, LEVEL_STEP_SECONDS) }
  }

  /** The sound of a piece in bands, each with how it dies away. */
  function bandsOf({ whole, decay }: Turning) {
    if (whole.length * (whole[0]?.length ?? 0) > MOST_BANDED) return [{ samples: whole, decay }]
    const split = whole.map((samples) => splitBands(samples, sampleRate, BAND_EDGES))
    return BAND_STEP_SECONDS.map((seconds, b) => {
      const samples = split.map((bands) => bands[b] as Float32Array)
      return { samples, decay: decayOf(samples, seconds) }
    })
  }

  /** Read back faster or slower, a piece would die away as much faster or slower: its level over time makes up for that. */
  function keepDecay(piece: number, cuts: readonly Cut[], turning: Turning): readonly Cut[] {
    const bands = bandsOf(turning)
    // it dies away from its attack on
    const playedAt = (frame: number) => (frame > lead ? lead + (frame - lead) / turning.ratio : frame)
    return cuts.map((cut) => {
      const laid = cut.output - (places[piece] as number)
      const from = cut.source - (borders[piece] as number)
      const turned = bands.map(({ samples, decay }) => ({
        samples: samples.map((channel) => channel.subarray(from)),
        gainAt: (n: number) =>
          Math.min(MOST_GAIN, Math.max(1 / MOST_GAIN, exp(decay(playedAt(laid + n)) - decay(from + n)))),
      }))
      return { ...cut, gain: 1, turned }
    })
  }

  /**
   * How a piece dies away: natural log of its level at a frame from its start, never rising, since a level that rises again is
   * the waveform's own or another sound's. Beyond its end it goes on falling as it did.
   */
  function decayOf(samples: readonly Float32Array[], stepSeconds: number): Decay {
    const length = samples[0]?.length ?? 0
    const step = Math.max(8, Math.round(stepSeconds * sampleRate))
    const count = Math.max(2, Math.ceil(length / step))
    const levels = new Float64Array(count)
    for (let k = 0; k < count; k++) {
      let energy = 1e-20
      const to = Math.min(length, (k + 1) * step)
      for (const channel of samples) for (let i = k * step; i < to; i++) energy += square(channel[i] as number)
      levels[k] = 0.5 * ln(energy / step)
    }
    for (let k = count - 2; k >= 0; k--) levels[k] = Math.max(levels[k] as number, levels[k + 1] as number)
    const floor = (levels[0] as number) - LEVEL_RANGE
    const slope =
      ((levels[count - 1] as number) - (levels[count >> 1] as number)) / Math.max(1, count - 1 - (count >> 1))
    return (frame) => {
      const place = frame / step - 0.5
      const k = Math.max(0, Math.min(count - 2, Math.floor(place)))
      const share = Math.max(0, Math.min(1, place - k))
      const beyond = Math.max(0, place - (count - 1)) * slope
      return Math.max(floor, (levels[k] as number) * (1 - share) + (levels[k + 1] as number) * share + beyond)
    }
  }

  /**
   * Where a piece ends as far as it can be laid. Read back faster, it has to last longer than it does: what has died away
   * by then is no sound to make more of, so its tail is carried on from before that.
   */
  function endOf(piece: number, turning: Turning | undefined): number {
    const start = borders[piece] as number
    if (!turning) return borders[piece + 1] ?? frames
    const sourceEnd = start + (turning.whole[0]?.length ?? 0)
    if (turning.ratio <= 1) return sourceEnd
    const least = turning.decay(0) - SPENT
    let end = start
    while (end < sourceEnd && turning.decay(end - start) > least) end += Math.round(LEVEL_STEP_SECONDS * sampleRate)
    return Math.min(sourceEnd, end)
  }

  function layOut(piece: number, turning: Turning | undefined): Cut[] {
    const start = borders[piece] as number
    const sourceEnd = endOf(piece, turning)
    const output = places[piece] as number
    const outputEnd = places[piece + 1] ?? end
    const has = sourceEnd - start
    const room = outputEnd - output
    const fadeIn = piece === 0 ? 0 : lead
    const isLast = piece === borders.length - 1
    if (has <= 0 || room <= 0) return []
    if (room <= has) {
      // a tail may sound on under the next attack, but never into the attack that followed it in the source
      const over = isLast ? 0 : Math.min(fade, has - room)
      const fadeOut = isLast ? (room < has ? Math.min(fade, room) : 0) : Math.max(1, over)
      return [{ output, source: start, length: room + over, fadeIn, fadeOut, power: false, gain: 1 }]
    }
    const tail = tailOf(start, sourceEnd)
    const carried =
      settings.tail === 'decay' || has > carriedUpTo || has - (tail?.from ?? has) < LEAST_TAIL_SECONDS * sampleRate
        ? undefined
        : tail
    if (!carried) {
      const fadeOut = isLast ? 0 : Math.min(lead, has)
      return [{ output, source: start, length: has, fadeIn, fadeOut, power: false, gain: 1 }]
    }
    return carryOn(piece, { start, sourceEnd, output, outputEnd, fadeIn, isLast }, carried)
  }

  /** Where a piece's tail begins, relative to its start, and how fast it dies, per frame in natural log of amplitude. */
  function tailOf(start: number, sourceEnd: number): { from: number; slope: number } | undefined {
    const has = sourceEnd - start
    const from = Math.min(Math.round(BODY_SECONDS * sampleRate), has >> 1)
    const steps = 12
    const step = Math.floor((has - from) / steps)
    if (step < 8) return undefined
    let n = 0
    let sx = 0
    let sy = 0
    let sxx = 0
    let sxy = 0
    for (let k = 0; k < steps; k++) {
      let energy = 0
      for (const channel of channels) {
        for (let i = 0; i < step; i++) energy += square(channel[start + from + k * step + i] as number)
      }
      if (energy < 1e-18) continue
      const x = (k + 0.5) * step
      const y = 0.5 * ln(energy)
      // the later part says how it goes on
      const weight = k >= steps / 2 ? 2 : 1
      n += weight
      sx += weight * x
      sy += weight * y
      sxx += weight * x * x
      sxy += weight * x * y
    }
    const spread = n * sxx - sx * sx
    const slope = spread > 0 ? (n * sxy - sx * sy) / spread : 0
    return { from, slope: Math.min(0, slope) }
  }

  function carryOn(
    piece: number,
    room: { start: number; sourceEnd: number; output: number; outputEnd: number; fadeIn: number; isLast: boolean },
    tail: { from: number; slope: number },
  ): Cut[] {
    const { start, sourceEnd, output, outputEnd } = room
    const tailFrom = start + tail.from
    const tailFrames = sourceEnd - tailFrom
    const overlap = Math.min(join, tailFrames >> 1)
    const length = Math.min(Math.round(CARRY_SECONDS * sampleRate), tailFrames)
    const cuts: Cut[] = []
    // the piece itself, up to where its continuation takes over
    let cutSource = start
    let cutOutput = output
    let cutLength = sourceEnd - start
    let cutGain = 1
    let fadeIn = room.fadeIn
    let power = false
    for (let n = 0; ; n++) {
      const soundsUntil = cutOutput + cutLength
      if (soundsUntil >= outputEnd + lead) {
        cuts.push({
          output: cutOutput,
          source: cutSource,
          length: Math.min(cutLength, outputEnd - cutOutput + (room.isLast ? 0 : lead)),
          fadeIn,
          fadeOut: room.isLast ? 0 : lead,
          power,
          gain: cutGain,
        })
        return cuts
      }
      // the end of this cut is what the beginning of the next has to be like
      const template = cutSource + cutLength - overlap
      const latest = sourceEnd - length
      const reach = Math.min(mostSearch, latest - tailFrom)
      const centre = tailFrom + drawAt(seed, piece * 65_536 + n, 0) * Math.max(0, latest - tailFrom)
      const low = Math.round(Math.max(tailFrom, Math.min(centre - reach / 2, latest - reach)))
      const high = Math.max(low, Math.min(latest, low + reach))
      let next = Math.round(Math.min(high, Math.max(low, centre)))
      let alike = 0
      if (settings.tail !== 'noise' && overlap === join) {
        const found = high > low ? search(template, low, high - 1, next) : { start: low, score: 0 }
        if (found.start !== template && (settings.tail === 'match' || found.score > ALIKE)) {
          next = found.start
          alike = found.score
        }
      }
      const nextOutput = soundsUntil - overlap
      const nextGain = exp(tail.slope * (nextOutput - output - (next - start)))
      cuts.push({
        output: cutOutput,
        source: cutSource,
        length: cutLength,
        fadeIn,
        fadeOut: overlap,
        power: power || alike <= ALIKE,
        gain: cutGain,
      })
      if (nextGain < INAUDIBLE) return cuts
      cutSource = next
      cutOutput = nextOutput
      cutLength = length
      cutGain = nextGain
      fadeIn = overlap
      power = alike <= ALIKE
    }
  }

  return {
    read(outputFrame, out) {
      for (const channel of out) channel.fill(0)
      const count = out[0]?.length ?? 0
      // the piece before may still fade under the first of this block
      for (let piece = Math.max(0, pieceAt(outputFrame) - 1); piece < places.length; piece++) {
        if ((places[piece] as number) >= outputFrame + count) break
        for (const cut of cutsOf(piece)) {
          const from = Math.max(cut.output, outputFrame)
          const to = Math.min(cut.output + cut.length, outputFrame + count)
          if (to <= from) continue
          ready?.(cut.source + from - cut.output, cut.source + to - cut.output)
          addCut(channels, cut, from, to, outputFrame, out)
        }
      }
    },
  }
}

/** Add the output frames `from` up to `to` of a cut to a block that begins at `outputFrame`. */
function addCut(
  channels: readonly Float32Array[],
  cut: Cut,
  from: number,
  to: number,
  outputFrame: number,
  out: readonly Float32Array[],
) {
  if (cut.turned) return addTurned(cut, cut.turned, from, to, outputFrame, out)
  for (let at = from; at < to; at++) {
    const level = levelAt(cut, at - cut.output)
    for (let c = 0; c < out.length; c++) {
      const into = out[c] as Float32Array
      into[at - outputFrame] =
        (into[at - outputFrame] as number) +
        level * ((channels[c] as Float32Array)[cut.source + at - cut.output] as number)
    }
  }
}

/** The gain of a cut `n` frames from its start, by its fades. */
function levelAt(cut: Cut, n: number): number {
  const rise = n < cut.fadeIn ? fadeAt((n + 0.5) / cut.fadeIn, cut.power) : 1
  const left = cut.length - n
  return cut.gain * rise * (left <= cut.fadeOut ? fadeAt((left - 0.5) / cut.fadeOut, cut.power) : 1)
}

/** of one line of gains, by the fades */
const fades = new Float64Array(GAIN_STEP)

function addTurned(
  cut: Cut,
  turned: readonly TurnedBand[],
  from: number,
  to: number,
  outputFrame: number,
  out: readonly Float32Array[],
) {
  const end = to - cut.output
  // gains lie on lines between frames that are counted from the cut's start, whoever reads it and from where
  for (let n = from - cut.output; n < end; ) {
    const line = n - (n % GAIN_STEP)
    const until = Math.min(end, line + GAIN_STEP)
    for (let i = n; i < until; i++) fades[i - line] = levelAt(cut, i)
    for (const { samples, gainAt } of turned) {
      const gain = gainAt(line)
      const rise = (gainAt(line + GAIN_STEP) - gain) / GAIN_STEP
      for (let c = 0; c < out.length; c++) {
        const into = out[c] as Float32Array
        const own = samples[c] as Float32Array
        for (let i = n; i < until; i++) {
          const at = cut.output + i - outputFrame
          into[at] =
            (into[at] as number) + (fades[i - line] as number) * (gain + (i - line) * rise) * (own[i] as number)
        }
      }
    }
    n = until
  }
}

/** Rise of a fade: sin² where both sides are alike, sin where they are not; with its mirror the sum or the power is 1. */
function fadeAt(x: number, power: boolean): number {
  const rise = 0.5 - 0.5 * cosTurns(x / 2)
  return power ? Math.sqrt(rise) : rise
}
