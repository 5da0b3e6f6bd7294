import type { Attack } from '../analysis/attacks'
import { type PitchTrack, trackPitch } from '../analysis/pitchTrack'
import { type AudioBlock, frameCount } from '../audio/block'
import { nearestPowerOfTwo } from '../dsp/units'
import type { Task } from '../task'
import { type Artefact, type ArtefactId, tooShort, unmeasured } from './artefacts'
import { attackHarm } from './attackHarm'
import { type AttackPairs, type Attacks, attacksOf, distanceTo, pairAttacks } from './attackPairs'
import { lookBetween, loudestPower } from './between'
import { clicksOf } from './clicks'
import { type Comparison, innerOf } from './comparison'
import { detuneOf } from './detune'
import { formantShiftOf } from './formantShift'
import { localOf } from './grading'
import { type LineReading, type LineRoughness, lineRoughnessOf, readLine } from './lineRoughness'
import { createSteadyTones, type SteadyTones } from './steadyTones'
import { unlikenessOf, unlikenessSeconds } from './unlikeness'

/** All that was measured of one result. */
export interface Measurement {
  readonly artefacts: readonly Artefact[]
  /** mean distance of the log spectra at corresponding moments, dB: no harm by itself, but it tells close results apart */
  readonly unlikenessDb: number
}

/** Counts up when figures change, by a measure or by what a method makes, so that kept ones are taken again. */
export const MEASURE_VERSION = 13

const WINDOW_SECONDS = 0.0853
const TICK_SECONDS = 0.012
const PITCHED_SHARE = 0.25

/** What a measure needs to know of a source alone: found out once for all results of it. */
export interface SourceReading {
  readonly attacks: Attacks
  readonly pitch: PitchTrack
  readonly steadyAt: SteadyTones
  /** undefined where it is no single line */
  readonly line: LineReading | undefined
}

/** @param known  attacks where they are known or were corrected. */
export function* readSource(source: AudioBlock, known?: readonly Attack[]): Task<SourceReading> {
  const attacks = yield* attacksOf(source, known)
  const pitch = yield* trackPitch(source)
  const line = isPitched(pitch) ? yield* readLine(source, pitch) : undefined
  return { attacks, pitch, steadyAt: createSteadyTones(source, windowOf(source.sampleRate)), line }
}

const windowOf = (sampleRate: number) => nearestPowerOfTwo(WINDOW_SECONDS * sampleRate, 256)

/**
 * Measure every kind of harm that a result shows against its source.
 * @param reading  of this very source, where there is one already.
 * @param brief  attacks and likeness alone: a third of the work, enough to tell what is far from the source.
 * @throws {RangeError} if the two differ in rate or channel count.
 */
export function* measureTask(
  comparison: Comparison,
  reading?: SourceReading,
  { brief = false }: { readonly brief?: boolean } = {},
): Task<Measurement> {
  const { source, result } = comparison
  if (source.sampleRate !== result.sampleRate || source.channels.length !== result.channels.length) {
    throw new RangeError('measureTask: source and result must have one rate and one channel count')
  }
  const totalFrames = frameCount(result)
  // four parts of the work, about as long as one another
  const part = function* <T>(n: number, task: Task<T>): Task<T> {
    for (;;) {
      const step = task.next()
      if (step.done) return step.value
      const share = step.value.totalFrames > 0 ? step.value.doneFrames / step.value.totalFrames : 1
      yield { doneFrames: Math.round((totalFrames * (n + share)) / 4), totalFrames }
    }
  }
  const known = reading ?? (yield* part(0, readSource(source, comparison.attacks)))
  const resultAttacks = yield* part(1, attacksOf(result))
  const paired = pairAttacks(comparison, known.attacks, resultAttacks)
  const likeness = (pairs: AttackPairs) => {
    const sizes = unlikenessSeconds.map((seconds) => nearestPowerOfTwo(seconds * source.sampleRate, 64))
    return part(
      3,
      unlikenessOf(comparison, pairs, sizes, (size) => loudestPower(source, size)),
    )
  }
  if (brief) return { unlikenessDb: yield* likeness(paired), artefacts: attackHarm(comparison, paired) }
  const { clicks, jumps } = yield* part(2, clicksOf(comparison, paired))
  // a tick is no stroke, though it starts as suddenly
  const ticks = Float64Array.from(clicks.places, (place) => place.outputFrame - comparison.from).sort()
  const isTick = (frame: number) => distanceTo(ticks, frame) < TICK_SECONDS * source.sampleRate
  const attackPairs = { ...paired, extra: paired.extra.filter((frame) => !isTick(frame)) }
  const between = yield* part(
    2,
    lookBetween(comparison, attackPairs, Float64Array.from(jumps), known.steadyAt, windowOf(source.sampleRate)),
  )
  const unlikenessDb = yield* likeness(attackPairs)
  const resultPitch = isPitched(known.pitch) ? yield* part(3, trackPitch(result)) : undefined
  const roughness =
    resultPitch && known.line && (yield* part(3, lineRoughnessOf(comparison, attackPairs, known.line, resultPitch)))
  const formants = resultPitch && (yield* part(3, formantShiftOf(comparison, known.pitch, resultPitch)))
  const inner = innerOf(comparison)
  const seconds = (inner.end - inner.start) / source.sampleRate
  return {
    unlikenessDb,
    artefacts: told(seconds, [
      ...attackHarm(comparison, attackPairs),
      between.flutter,
      detuneOf(comparison, between, attackPairs, resultPitch && [known.pitch, resultPitch]),
      roughened(between.phasiness, roughness),
      between.noiseColour,
      formants ?? unmeasured('formant-shift'),
      between.image,
      between.level,
      between.balance,
      clicks,
      between.aliasing,
    ]),
  }
}

/** Results shorter than this have too few moments to tell a kind of harm by, seconds. */
const NEEDED_SECONDS: Partial<Readonly<Record<ArtefactId, number>>> = {
  flutter: 0.5,
  detune: 0.4,
  phasiness: 0.4,
  'noise-colour': 0.4,
  'formant-shift': 0.5,
  aliasing: 0.3,
}

/** With where each kind stands out, and what could not be told for want of time. */
const told = (seconds: number, artefacts: readonly Artefact[]): Artefact[] =>
  artefacts.map((artefact) => {
    const { id, measured } = artefact
    if (!measured) return seconds < (NEEDED_SECONDS[id] ?? 0) ? tooShort(id) : artefact
    const local = localOf(artefact)
    return local ? { ...artefact, local } : artefact
  })

/** Phasiness, of partials and of a single line: what is heard of either. */
function roughened(phasiness: Artefact, line: LineRoughness | undefined): Artefact {
  if (!line) return phasiness
  const parts = { ...phasiness.parts, lineDb: line.db }
  return phasiness.measured && phasiness.value >= line.db
    ? { ...phasiness, parts }
    : { id: 'phasiness', measured: true, value: line.db, places: line.places, parts }
}

/** Whether enough of a sound has a clear pitch for that to be compared. */
function isPitched(track: PitchTrack): boolean {
  let pitched = 0
  for (let n = 0; n < track.hz.length; n++)
    if ((track.hz[n] as number) > 0 && (track.clarity[n] as number) > 0.85) pitched++
  return pitched >= PITCHED_SHARE * Math.max(1, track.hz.length)
}
