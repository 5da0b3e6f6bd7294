import type { Analysis } from '../analysis/analysis'
import { attackKinds, prepareAttackKinds } from '../analysis/attackKinds'
import { longestPeriodMs, pickWithin } from '../analysis/material'
import { pitchMarksOf, type VoicedRun } from '../analysis/pitchMarks'
import { hzAt, type PitchTrack } from '../analysis/pitchTrack'
import { type AudioBlock, frameCount, meanPower, silence } from '../audio/block'
import { cosTurns } from '../dsp/portable'
import { drawAt } from '../dsp/random'
import { lowerBound } from '../dsp/search'
import { createSteppedSincReaders } from '../dsp/sinc'
import { inTurn } from '../task'
import { asOutput, asSource } from '../timeline/axes'
import { holdAttacks } from '../timeline/holdAttacks'
import type { TimeMap } from '../timeline/timeMap'
import { defineMethod, type MethodInput, type Voice } from './method'
import { choice, number } from './settings'
import { layLack, type WiderCycle, widerCycle } from './widerCycles'

const schema = {
  breathMs: number({
    label: 'Breath pieces',
    unit: 'ms',
    min: 4,
    max: 60,
    default: 16,
    scale: 'log',
    trades:
      'How long the pieces are from which unvoiced sound is laid. Longer keeps hiss natural, shorter keeps it in time.',
  }),
  level: choice({
    label: 'Level',
    options: [
      { value: 'loudness', label: 'Same loudness' },
      { value: 'cycle', label: 'Same envelope' },
    ],
    default: 'cycle',
    trades:
      'Where cycles lie closer or wider than they were: the same loudness, or partials as loud as the kept formants say.',
  }),
}

/**
 * For one voice at a time. In voiced sound whole cycles, two periods long under a Hann window around their marks, are laid
 * at the wanted period: repeated or left out for length, closer or wider for pitch. A cycle keeps its spectrum, so formants
 * stay by themselves; read faster or slower it carries them along or elsewhere. Unvoiced sound is laid in pieces that run on
 * as they were recorded for as long as they stay near their mapped place, and starts afresh at every attack.
 * Source  Moulines & Charpentier 1990, "Pitch-synchronous waveform processing techniques for text-to-speech synthesis using
 *         diphones" (TD-PSOLA).
 */
export const cycle = defineMethod({
  id: 'cycle',
  label: 'Pitch cycle',
  family: 'tonal',
  use: 'Voice, bass and lead lines, one note at a time: pitch and formants go where you put them.',
  needs: ['attacks', 'pitch'],
  exactSeek: false,
  tiesPitchToSpeed: false,
  pitchBy: 'own',
  ownFormants: true,
  gainsByHold: true,
  seeded: true,
  timesRealTime: 80,
  settings: schema,
  // a piece of breath that holds a whole low cycle does not roughen what the pitch track leaves out
  pick(analysis) {
    const periodMs = longestPeriodMs(analysis)
    return { breathMs: pickWithin(periodMs && 1.5 * periodMs, 10, 30, 16) }
  },
  latencyFrames: (settings, sampleRate) => Math.ceil((0.05 + settings.breathMs / 1000) * sampleRate),
  open: (input) => cycleVoice(input),
  // a run of cycles is marked from its middle on, however long it is
  prepare(source, analysis, from, to) {
    const around = AROUND_SECONDS * source.sampleRate
    const marks = marksOf(source, analysis)
    const found = marks.has(from - around, to + around) ? undefined : marks.prepare(from - around, to + around)
    return inTurn(prepareAttackKinds(source, framesOf(analysis)), found)
  },
})

/** what a voice reads around the place that it begins at */
const AROUND_SECONDS = 0.5

const marksOf = (source: AudioBlock, analysis: Analysis) =>
  pitchMarksOf(source, analysis.pitch ?? NO_PITCH, framesOf(analysis))

const framesOf = ({ attacks = [] }: Analysis) => attacks.map((attack) => attack.frame)

/** so long goes by as played behind an attack: what is struck dies away, what is held sets in */
const STRUCK_SECONDS = 0.03
const SETS_IN_SECONDS = 0.02
/** a cycle so many periods behind an attack, or nearer, began with it; of one farther behind the one before did */
const BEGINS_WITHIN = 0.25
/** a pitch that moves by more than this soon behind an attack is a glide, which has one pace throughout */
const GLIDES_FROM = 1.01
const GLIDE_SECONDS = { from: 0.01, to: 0.04 } as const
/** 1 dB: a piece of breath that is less louder or softer than what is at its place stays so */
const TURNED_FROM = 1.12
/** 18 dB */
const MOST_TURNED = 8
const READ_WIDTH = 40
const READ_ATTENUATION_DB = 80
/** a neighbouring cycle with a smaller share than this is left out */
const LEAST_SHARE = 0.02
const NO_PITCH = { hopFrames: 1, hz: new Float32Array(1), clarity: new Float32Array(1) }
const LONGEST_PERIOD_SECONDS = 0.03

/** A windowed piece of source around `source`, laid with its middle at `output`. */
interface Grain {
  readonly output: number
  readonly source: number
  /** the neighbouring cycle that lies on the other side of the mapped place, and its share in the grain */
  readonly other?: { readonly source: number; readonly share: number } | undefined
  /** frames to the next grain's middle */
  readonly spacing: number
  readonly left: number
  readonly right: number
  /** source frames per output frame inside the grain */
  readonly speed: number
  readonly gain: number
  /** its neighbours are unlike it: windows add up in power */
  readonly power: boolean
  readonly voiced: boolean
}

interface VoicedGrain extends Grain {
  readonly voiced: true
  /** index of the run of marks that it is a cycle of */
  readonly run: number
  /** frames of the source that it lasts */
  readonly period: number
  readonly wider: WiderCycle | undefined
}

const isVoiced = (grain: Grain | undefined): grain is VoicedGrain => grain?.voiced === true

function cycleVoice(input: MethodInput<typeof schema>): Voice {
  const { source, pitch, formantRatioAt, settings, seed, analysis } = input
  const { sampleRate, channels } = source
  const channelCount = channels.length
  const frames = frameCount(source)
  const attackFrames = framesOf(analysis)
  const marks = marksOf(source, analysis)
  const map = heldWhereItSets(input.map, source, attackFrames, analysis.pitch ?? NO_PITCH)
  const attackPlaces = attackFrames.map((frame) => map.outputAt(asSource(frame)))
  const readerAt = createSteppedSincReaders(READ_WIDTH, READ_ATTENUATION_DB)
  const step = (settings.breathMs / 2000) * sampleRate
  const drift = step
  const most = Math.ceil(2 * Math.max(LONGEST_PERIOD_SECONDS * sampleRate * 8, 2 * step))
  const size = 2 * most + 8192
  const sum = silence(channelCount, size)
  let scratch = silence(channelCount, 1)
  let positions = new Float64Array(1)
  /** the window of the grain that is laid, its gain in it, from output frame `weightsFrom` on */
  let weights = new Float64Array(1)
  let weightsFrom = 0
  let sumStart = 0
  let ready = 0
  let at = Number.NaN
  let last: Grain | undefined
  let count = 0

  function nearestMark(run: VoicedRun, frame: number): number {
    const { marks: own } = run
    const behind = Math.min(own.length - 1, lowerBound(own, frame))
    if (behind > 0 && frame - (own[behind - 1] as number) < (own[behind] as number) - frame) return behind - 1
    return behind
  }

  function voicedGrain(output: number): VoicedGrain | undefined {
    const place = map.sourceAt(asOutput(output))
    const index = marks.runAt(place)
    if (index < 0) return undefined
    const run = marks.run(index)
    const n = nearestMark(run, place)
    const mark = run.marks[n] as number
    const own = marks.periodAt(run, n, place)
    // beyond a run's own marks there is nothing periodic to lay
    if (Math.abs(place - mark) > own) return undefined
    const before = n > 0 ? mark - (run.marks[n - 1] as number) : own
    const behind = n + 1 < run.marks.length ? (run.marks[n + 1] as number) - mark : own
    const formant = formantRatioAt(asOutput(output))
    // between two marks the sound is between two cycles; of what reaches back over an attack the next one would
    // sound ahead of it
    const towards = n + (place < mark ? -1 : 1)
    const beside = run.marks[towards]
    const sharesNone = beside === undefined || isWithin(attackPlaces, output - before / formant, output)
    const share = sharesNone ? 0 : (place - mark) / (beside - mark)
    // the way to the next cycle is as long as the period halfway there: at the start of the way a glide would lag behind
    const halfway = output + own / pitch.ratioAt(asOutput(output)) / 2
    const period = marks.periodAt(run, n, map.sourceAt(asOutput(halfway)))
    const wanted = period / pitch.ratioAt(asOutput(halfway))
    const overlap = period / formant / wanted
    const wider = widerCycle(source, mark, own, overlap)
    const gain = (wider?.gain ?? 1) * (settings.level === 'loudness' ? 1 / Math.sqrt(overlap) : 1 / overlap)
    return {
      output,
      source: mark,
      other: beside !== undefined && share > LEAST_SHARE && share < 1 ? { source: beside, share } : undefined,
      spacing: wanted,
      left: before / formant,
      right: behind / formant,
      speed: formant,
      gain: Math.abs(overlap - 1) < 1e-3 ? 1 : gain,
      power: false,
      voiced: true,
      run: index,
      period: own,
      wider,
    }
  }

  function breathGrain(output: number, previous: Grain | undefined): Grain {
    const place = map.sourceAt(asOutput(output))
    const speed = formantRatioAt(asOutput(output))
    const shared = { output, spacing: step, left: step, right: step, speed, gain: 1, voiced: false }
    // an attack sounds from its own place: the grain that holds it runs so that it lies right, and what runs on keeps it
    const attack = attackIn(output - step, output + step)
    if (attack !== undefined) {
      const own = (attackFrames[attack] as number) + (output - (attackPlaces[attack] as number)) * speed
      const runsOn =
        previous && !previous.voiced && Math.abs(previous.source + (output - previous.output) * speed - own) < 0.5
      return { ...shared, source: own, power: !runsOn && previous !== undefined && !previous.voiced }
    }
    if (previous) {
      const on = previous.source + (output - previous.output) * speed
      const play = previous.voiced ? drift + previous.spacing : drift
      if (Math.abs(on - place) <= play && !overAttack(on, step * speed)) return { ...shared, source: on, power: false }
    }
    const jitter = (2 * drawAt(seed, count, 0) - 1) * drift * 0.8
    const wanted = place + (Math.abs(map.speedAt(asOutput(output)) - speed) < 1e-9 ? 0 : jitter)
    const kept = clearOfAttacks(wanted, step * speed, place)
    // at its own speed a piece may as well lie on whole frames: then it is copied and not interpolated
    const source = speed === 1 ? Math.round(kept - output) + output : kept
    const gain = source === place ? 1 : levelOf(place, source, step * speed)
    return { ...shared, source, gain, power: previous !== undefined && !previous.voiced }
  }

  /**
   * By what a piece from elsewhere is turned up or down where it is far louder or softer than what is at its place:
   * what dies away or sets in would come and go with the places that are drawn.
   */
  function levelOf(place: number, piece: number, reach: number): number {
    const i = lowerBound(attackFrames, place)
    const from = attackFrames[i - 1] ?? 0
    const to = attackFrames[i] ?? frames
    const powerAround = (frame: number) =>
      meanPower(source, Math.max(from, Math.floor(frame - reach)), Math.min(to, Math.ceil(frame + reach))) + 1e-12
    const ratio = Math.sqrt(powerAround(place) / powerAround(piece))
    if (ratio < TURNED_FROM && ratio > 1 / TURNED_FROM) return 1
    return Math.max(1 / MOST_TURNED, Math.min(MOST_TURNED, ratio))
  }

  function attackIn(from: number, to: number): number | undefined {
    let best: number | undefined
    for (let i = lowerBound(attackPlaces, from); i < attackPlaces.length && (attackPlaces[i] as number) < to; i++) {
      const middle = (from + to) / 2
      if (
        best === undefined ||
        Math.abs((attackPlaces[i] as number) - middle) < Math.abs((attackPlaces[best] as number) - middle)
      ) {
        best = i
      }
    }
    return best
  }

  const overAttack = (centre: number, reach: number) => isWithin(attackFrames, centre - reach, centre + reach)

  /** The nearest place from which a grain reaches over no attack, on the side of them that `place` lies on. */
  function clearOfAttacks(centre: number, reach: number, place: number): number {
    const i = lowerBound(attackFrames, place)
    const behind = attackFrames[i] ?? Number.POSITIVE_INFINITY
    const before = attackFrames[i - 1] ?? Number.NEGATIVE_INFINITY
    return Math.max(before + reach * 0.25, Math.min(behind - reach - 1, centre))
  }

  function nextGrain(): Grain {
    const previous = last as Grain
    const output = previous.output + Math.max(2, previous.spacing)
    const voiced = voicedGrain(output)
    count++
    if (isVoiced(previous) && voiced?.run !== previous.run) {
      // a step of a low note is long enough to pass over the attack that ends it
      const attack = attackPlaces[lowerBound(attackPlaces, previous.output + 2)]
      if (attack !== undefined && attack < output) return breathGrain(attack, previous)
    }
    if (!voiced) return breathGrain(output, previous)
    return previous.voiced ? voiced : inStep(voiced, previous)
  }

  /**
   * The first cycle behind unvoiced sound begins where that, running on, would have come to it. Behind an attack the
   * tone began with it, and cycles come as far behind it, in periods of their own, as they are in the source.
   */
  function inStep(grain: VoicedGrain, previous: Grain): Grain {
    const { source, speed, spacing, period } = grain
    const attack = lowerBound(attackFrames, source) - 1
    const began = attackFrames[attack] ?? Number.NEGATIVE_INFINITY
    const isBehind = began >= previous.source - step
    const cycles = Math.ceil((source - began) / period - BEGINS_WITHIN)
    const first = isBehind
      ? (attackPlaces[attack] as number) + (source - began - cycles * period) / speed
      : previous.output + (source - previous.source) / speed
    // only a cycle that lies at the attack itself is laid there
    const least = isBehind ? Math.min(cycles, 1) : Number.NEGATIVE_INFINITY
    const output = first + Math.max(least, Math.round((grain.output - first) / spacing)) * spacing
    return output > previous.output + 2 ? { ...grain, output } : grain
  }

  function lay(grain: Grain) {
    weightsFrom = Math.max(Math.ceil(grain.output - grain.left), sumStart)
    const count = Math.floor(grain.output + grain.right) - weightsFrom + 1
    if (count <= 0) return
    if (weights.length < count) weights = new Float64Array(count)
    fillWindow(weights, count, weightsFrom - grain.output, grain)
    if (isVoiced(grain) && grain.wider) {
      const { wider, output, spacing, gain, period, speed } = grain
      // cycles that lie wider are turned up by as much: what is laid at their own spacing is not
      layLack(wider, sum, sumStart, { output, spacing, level: (gain * period) / speed / spacing })
    }
    if (!grain.other) return layFrom(grain, grain.source, 1)
    layFrom(grain, grain.source, 1 - grain.other.share)
    layFrom(grain, grain.other.source, grain.other.share)
  }

  /** Add what the source has around a frame of it, under the window. */
  function layFrom(grain: Grain, source: number, share: number) {
    const offset = source - grain.output
    const whole = grain.speed === 1 && Math.abs(offset - Math.round(offset)) < 1e-6
    const reader = readerAt(grain.speed)
    const reach = whole ? 0 : reader.reachFrames
    // what lies wholly outside the source is silent
    const from = Math.max(weightsFrom, Math.ceil(grain.output + (-reach - source) / grain.speed))
    const to = Math.min(
      Math.floor(grain.output + grain.right),
      Math.floor(grain.output + ((whole ? frames - 1 : frames) + reach - source) / grain.speed),
    )
    const count = to - from + 1
    if (count <= 0) return
    const place = from - sumStart
    if (whole) {
      // a grain that lies on whole frames at its own speed is copied
      const at = from + Math.round(offset)
      sum.forEach((into, c) => {
        addUnder(into, place, channels[c] as Float32Array, at, weights, from - weightsFrom, count, share)
      })
      return
    }
    if ((scratch[0]?.length ?? 0) < count) scratch = silence(channelCount, count)
    const first = source + (from - grain.output) * grain.speed
    if (positions.length < count) positions = new Float64Array(count)
    for (let n = 0; n < count; n++) positions[n] = first + n * grain.speed
    reader.readManyInto(channels, positions, count, scratch, 0)
    sum.forEach((into, c) => {
      addUnder(into, place, scratch[c] as Float32Array, 0, weights, from - weightsFrom, count, share)
    })
  }

  function seek(frame: number) {
    for (const channel of sum) channel.fill(0)
    sumStart = frame
    count = Math.round(frame)
    const start = frame - 2 * LONGEST_PERIOD_SECONDS * sampleRate
    last = voicedGrain(start) ?? breathGrain(start, undefined)
    ready = 0
    at = frame
  }

  /** Lay grains until `frames` output frames from the start of the sum are final. */
  function make(wanted: number) {
    while (ready < wanted) {
      const grain = nextGrain()
      const previous = last as Grain
      // where the kind changes, both windows meet over the same span
      const span = grain.output - previous.output
      const changes = grain.voiced !== previous.voiced
      lay(changes ? { ...previous, right: span } : previous)
      last = changes ? { ...grain, left: span } : grain
      // all later grains begin behind the middle of this one, less their own left side
      const settled = Math.floor((last as Grain).output - sumStart - LONGEST_PERIOD_SECONDS * sampleRate * 4 - step)
      ready = Math.max(ready, Math.min(settled, size - 2 * most))
    }
  }

  return {
    read(outputFrame, out) {
      if (outputFrame !== at) seek(outputFrame)
      const total = out[0]?.length ?? 0
      for (let done = 0; done < total; ) {
        const chunk = Math.min(total - done, 1024)
        make(chunk)
        for (let c = 0; c < channelCount; c++) {
          const channel = sum[c] as Float32Array
          ;(out[c] as Float32Array).set(channel.subarray(0, chunk), done)
          channel.copyWithin(0, chunk)
          channel.fill(0, size - chunk)
        }
        sumStart += chunk
        ready -= chunk
        at += chunk
        done += chunk
      }
    },
  }
}

/** A map that passes attacks as they were played, but for those that a glide begins with. */
function heldWhereItSets(map: TimeMap, source: AudioBlock, attacks: readonly number[], pitch: PitchTrack): TimeMap {
  const glides = (attack: number) => {
    const [from, to] = [GLIDE_SECONDS.from, GLIDE_SECONDS.to].map((t) => hzAt(pitch, attack + t * source.sampleRate))
    return Boolean(from && to && Math.max(from / to, to / from) > GLIDES_FROM)
  }
  const heldFor = attackKinds(source, attacks).map((kind) => (kind === 'struck' ? STRUCK_SECONDS : SETS_IN_SECONDS))
  return holdAttacks(map, attacks, {
    strength: 1,
    leadFrames: 0,
    holdFrames: attacks.map((attack, i) => (glides(attack) ? 0 : (heldFor[i] as number) * source.sampleRate)),
    makesUpAfter: attacks.map(() => 0),
    naturalSpeedAt: () => 1,
  })
}

/** Whether any of rising places lies from one on and before another. */
function isWithin(places: readonly number[], from: number, to: number): boolean {
  const i = lowerBound(places, from)
  return i < places.length && (places[i] as number) < to
}

/** A grain's window times its gain, from `t` frames from its middle on. */
function fillWindow(out: Float64Array, count: number, t: number, { left, right, gain, power }: Grain) {
  for (let n = 0; n < count; n++) {
    const at = t + n
    const level = 0.5 - 0.5 * cosTurns((at < 0 ? 1 + at / left : 1 - at / right) / 2)
    out[n] = gain * (power && at < 0 ? Math.sqrt(level) : level)
  }
}

/** `into[place + n]` += share · weights[weightAt + n] · samples[at + n], for so many. */
function addUnder(
  into: Float32Array,
  place: number,
  samples: Float32Array,
  at: number,
  weights: Float64Array,
  weightAt: number,
  count: number,
  share: number,
) {
  for (let n = 0; n < count; n++)
    into[place + n] =
      (into[place + n] as number) + share * (weights[weightAt + n] as number) * (samples[at + n] as number)
}
