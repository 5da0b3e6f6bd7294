import type { Attack } from '../analysis/attacks'
import { createLayers, LEAD_SECONDS, TILE } from '../analysis/layers'
import { type AudioBlock, frameCount } from '../audio/block'
import { sinTurns, square } from '../dsp/portable'
import { dbToGain } from '../dsp/units'
import { AppError } from '../errors'
import type { Preparing } from '../task'

/** What is taken out of a sound, or turned down, before it is stretched. Plain data. */
export interface Prepare {
  /** level of each layer, `LAYER_DB`; its least mutes */
  readonly sinesDb?: number
  readonly attacksDb?: number
  readonly noiseDb?: number
  /** seconds of the source: attacks that are taken out by themselves */
  readonly without?: readonly number[]
}

export const LAYER_DB = { min: -60, max: 12 } as const

/** how far a moment that was said may lie from the attack that it means, s */
export const SAME_ATTACK_SECONDS = 0.005
/** what an attack brings has gone by then, s */
const BURST_SECONDS = 0.25
const FADE_SECONDS = 0.01

/** @throws {AppError} `recipe/range` */
export function checkPrepare({ sinesDb, attacksDb, noiseDb, without }: Prepare) {
  for (const [name, value] of Object.entries({ sines: sinesDb, attacks: attacksDb, noise: noiseDb })) {
    if (value !== undefined && !(value >= LAYER_DB.min && value <= LAYER_DB.max))
      throw new AppError('recipe/range', { name: `level of ${name}`, value: String(value), ...LAYER_DB })
  }
  if (without?.some((seconds) => !(seconds >= 0)))
    throw new AppError('recipe/range', { name: 'an attack', value: 'before the start', min: 0, max: 'the end' })
}

const gainOf = (db = 0) => (db <= LAYER_DB.min ? 0 : db === 0 ? 1 : dbToGain(db))

/** Whether it leaves the sound as it is. */
export const preparesNothing = ({ sinesDb, attacksDb, noiseDb, without }: Prepare) =>
  !sinesDb && !attacksDb && !noiseDb && (without?.length ?? 0) === 0

const isMeant = ({ frame }: Attack, without: readonly number[], sampleRate: number) =>
  without.some((seconds) => Math.abs(seconds * sampleRate - frame) <= SAME_ATTACK_SECONDS * sampleRate)

/** Attacks that are there once a sound is prepared. */
export function attacksLeft(attacks: readonly Attack[], prepare: Prepare, sampleRate: number): readonly Attack[] {
  const { attacksDb, without = [] } = prepare
  if (gainOf(attacksDb) === 0) return []
  return without.length === 0 ? attacks : attacks.filter((attack) => !isMeant(attack, without, sampleRate))
}

/**
 * A sound as it was prepared, in small steps: its layers at their levels, single attacks taken out of theirs. A layer
 * that is left as it is adds nothing of its own, so that what is untouched stays the very sample.
 * @param attacks  all of the sound's, rising.
 */
export function* prepareSteps(audio: AudioBlock, attacks: readonly Attack[], prepare: Prepare): Preparing<AudioBlock> {
  const { sampleRate } = audio
  const frames = frameCount(audio)
  const layers = createLayers(
    audio,
    attacks.map(({ frame }) => frame),
  )
  const channels = audio.channels.map((channel) => channel.slice())
  const without = attacks.filter((attack) => isMeant(attack, prepare.without ?? [], sampleRate))
  const [sines, noise] = [gainOf(prepare.sinesDb) - 1, gainOf(prepare.noiseDb) - 1]
  const burstGain = gainOf(prepare.attacksDb)
  const share = takenOut(without, attacks, sampleRate)
  // without a level of their own layers are only looked at around the attacks that are taken out
  const everywhere = sines !== 0 || noise !== 0 || burstGain !== 1
  const size = 4 * TILE
  for (let from = 0; from < frames; from += size) {
    const to = Math.min(frames, from + size)
    if (!everywhere && !share.touches(from, to)) continue
    yield* layers.prepare(from, to)
    channels.forEach((channel, c) => {
      const [ownSines, ownBursts, ownNoise] = [layers.sines, layers.attacks, layers.noise].map(
        (layer) => layer.channels[c] as Float32Array,
      ) as [Float32Array, Float32Array, Float32Array]
      for (let i = from; i < to; i++) {
        const bursts = burstGain * (1 - share.at(i)) - 1
        channel[i] =
          (channel[i] as number) +
          sines * (ownSines[i] as number) +
          bursts * (ownBursts[i] as number) +
          noise * (ownNoise[i] as number)
      }
    })
    yield
  }
  return { sampleRate, channels }
}

/** How much of the layer of attacks is taken out at a frame, 0 to 1; frames are asked for in rising order. */
function takenOut(without: readonly Attack[], all: readonly Attack[], sampleRate: number) {
  const lead = LEAD_SECONDS * sampleRate
  const fade = FADE_SECONDS * sampleRate
  const spans = without.map((attack) => {
    const next = all.find(({ frame }) => frame > attack.frame)
    const end = attack.frame + BURST_SECONDS * sampleRate
    return { start: attack.frame - lead, end: Math.min(end, next ? next.frame - lead : end) }
  })
  const shareOf = (span: (typeof spans)[number], frame: number) => {
    // it ends where the next attack begins, and fades before that
    const into = Math.min(1, Math.max(0, (frame - span.start) / lead))
    const out = Math.min(1, Math.max(0, (span.end - frame) / fade))
    return square(sinTurns(into / 4)) * square(sinTurns(out / 4))
  }
  return {
    touches: (from: number, to: number) => spans.some(({ start, end }) => start < to && end > from),
    at(frame: number) {
      let most = 0
      for (const span of spans) if (frame > span.start && frame < span.end) most = Math.max(most, shareOf(span, frame))
      return most
    },
  }
}
