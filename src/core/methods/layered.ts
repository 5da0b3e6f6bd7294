import { attackKinds, prepareAttackKinds } from '../analysis/attackKinds'
import { BROUGHT_SECONDS, SETTLED_SECONDS } from '../analysis/brought'
import { createLayers, type Layers, LEAD_SECONDS } from '../analysis/layers'
import { pickWithin, usualGapMs } from '../analysis/material'
import type { AudioBlock } from '../audio/block'
import { frameCount, silence } from '../audio/block'
import { overlapAddVoice, type Pulled, type SegmentMaker } from '../dsp/overlapAdd'
import { dbToGain, nearestPowerOfTwo } from '../dsp/units'
import { inTurn } from '../task'
import { asOutput, asSource } from '../timeline/axes'
import { holdAttacks } from '../timeline/holdAttacks'
import type { TimeMap } from '../timeline/timeMap'
import { createDrift } from './drift'
import { defineMethod, type Voice } from './method'
import { pitchByResampling } from './pitchByResampling'
import { number, type SettingsOf } from './settings'
import { spliceDefaults, spliceVoice } from './splice'
import { createVocoder } from './vocoder'

const level = (label: string, trades: string) =>
  number({ label, unit: 'dB', min: -60, max: 12, step: 0.5, default: 0, trades: `${trades} −60 mutes.` })

const schema = {
  sinesDb: level('Tones', 'Level of the steady partials.'),
  attacksDb: level('Attacks', 'Level of what attacks bring: take it down before a far stretch.'),
  noiseDb: level('Noise', 'Level of what is neither.'),
  windowMs: number({
    label: 'Tone window',
    unit: 'ms',
    min: 40,
    max: 400,
    default: 170,
    scale: 'log',
    trades: 'Longer parts close partials; shorter follows changing tones.',
  }),
  noiseMs: number({
    label: 'Noise window',
    unit: 'ms',
    min: 10,
    max: 400,
    default: 43,
    scale: 'log',
    trades: 'Longer floats smoother; shorter follows a noise that changes.',
  }),
}

/**
 * Splits the sound into steady partials, attacks and noise, treats each as it needs, and adds them up again: partials
 * by the locked vocoder with a long window, attacks cut out and placed whole, noise drawn afresh from its own spectrum
 * over time. Source  Damskägg & Välimäki 2017; Fierro & Välimäki 2023; Moliner et al. 2024, "Noise morphing for audio
 * time stretching".
 */
export const layered = defineMethod({
  id: 'layered',
  label: 'Three-layer',
  family: 'layered',
  use: 'Dense mixes, drums over chords, anything in doubt: tones, hits and noise each in their own way.',
  needs: ['attacks'],
  exactSeek: false,
  tiesPitchToSpeed: false,
  pitchBy: 'reading back',
  ownFormants: false,
  gainsByHold: true,
  spreadsAttacks: true,
  seeded: true,
  timesRealTime: 60,
  settings: schema,
  // close attacks leave a long window no steady moment between them
  pick(analysis, sampleRate) {
    const gapMs = usualGapMs(analysis, sampleRate)
    return { windowMs: pickWithin(gapMs && gapMs * 0.6, 85, 170, 170) }
  },
  latencyFrames: (settings, sampleRate) => nearestPowerOfTwo((settings.windowMs / 1000) * sampleRate, 64),
  // the layers of what is read are kept: four times the sound itself
  mostSourceSeconds: 60,
  open: ({ source, map, pitch, settings, seed, analysis }) => {
    const attacks = (analysis.attacks ?? []).map((attack) => attack.frame)
    const layers = layersOf(source, attacks)
    return pitchByResampling(source.channels.length, map, pitch, (inner, ratioAt) =>
      layeredVoice(source, layers, inner, attacks, settings, seed, ratioAt),
    )
  },
  prepare(source, analysis, from, to) {
    const around = AROUND_SECONDS * source.sampleRate
    const attacks = (analysis.attacks ?? []).map((attack) => attack.frame)
    const layers = layersOf(source, attacks)
    const first = Math.max(0, from - around)
    // what is made goes up to where it is read: a voice that takes over from another of this source goes on with it
    const enough = Math.min(frameCount(source), from + ENOUGH_SECONDS * source.sampleRate)
    const kinds = prepareAttackKinds(source, attacks)
    const made = layers.has(first, enough)
      ? undefined
      : layers.prepare(first, Math.min(frameCount(source), to + around))
    return inTurn(kinds, made)
  },
})

/**
 * what a voice reads around the place that it begins at, and how far behind it the layers have to be there for one to
 * begin at once
 */
const AROUND_SECONDS = 0.2
const ENOUGH_SECONDS = 0.05

/** Layers that were begun for a source go on being used: a switch back to it finds them as far as they were made. */
const begun = new WeakMap<AudioBlock, { attacks: string; layers: Layers }>()

function layersOf(source: AudioBlock, attacks: readonly number[]): Layers {
  const key = attacks.join(' ')
  const known = begun.get(source)
  if (known?.attacks === key) return known.layers
  const layers = createLayers(source, attacks, 'power')
  begun.set(source, { attacks: key, layers })
  return layers
}

function layeredVoice(
  source: AudioBlock,
  layers: Layers,
  map: TimeMap,
  attacks: readonly number[],
  settings: SettingsOf<typeof schema>,
  seed: number,
  ratioAt: (frame: number) => number,
): Voice {
  const { sampleRate } = source
  const frames = frameCount(source)
  const toneLength = nearestPowerOfTwo((settings.windowMs / 1000) * sampleRate, 64)
  const noiseLength = nearestPowerOfTwo((settings.noiseMs / 1000) * sampleRate, 64)
  const ready = (from: number, to: number) =>
    layers.ensure(Math.max(0, Math.floor(from)), Math.min(frames, Math.ceil(to)))

  /** A maker of segments whose layer is made right before it is read. */
  function over(maker: SegmentMaker): SegmentMaker {
    return {
      ...maker,
      addSegment(k, sum) {
        const centre = held.sourceAt(asOutput(k * maker.hop))
        ready(centre - maker.length / 2 - maker.hop - 1, centre + maker.length / 2 + 1)
        maker.addSegment(k, sum)
      },
    }
  }

  // what an attack brings and what it is laid on go by at the same speed, as long as one hands over to the other
  const held = holdAttacks(map, attacks, {
    strength: 1,
    leadFrames: LEAD_SECONDS * sampleRate,
    holdFrames: attacks.map((attack) => SETTLED_SECONDS * sampleRate * ratioAt(map.outputAt(asSource(attack)))),
    makesUpAfter: attackKinds(source, attacks).map((kind) => (kind === 'struck' ? undefined : 0)),
    naturalSpeedAt: (frame) => 1 / ratioAt(frame),
  })
  const parts: { gain: number; voice: Pulled }[] = []
  const add = (db: number, voice: () => Pulled) => {
    if (db > -60) parts.push({ gain: dbToGain(db), voice: voice() })
  }
  add(settings.sinesDb, () =>
    overlapAddVoice(over(createVocoder(layers.sines, held, attacks, toneLength, 4, { care: 'announced' }))),
  )
  add(settings.attacksDb, () =>
    spliceVoice(layers.attacks, held, attacks, { ...spliceDefaults, tail: 'auto', leadMs: 1000 * LEAD_SECONDS }, seed, {
      ready,
      carriedUpTo: SETTLED_SECONDS * sampleRate,
      endsBy: BROUGHT_SECONDS * sampleRate,
      ratioAt,
    }),
  )
  add(settings.noiseDb, () =>
    overlapAddVoice(over(createDrift(layers.noise, held, { length: noiseLength, clarity: 0, fresh: 1, seed }))),
  )
  let scratch = silence(source.channels.length, 1024)

  return {
    read(outputFrame, out) {
      const count = out[0]?.length ?? 0
      if ((scratch[0]?.length ?? 0) < count) scratch = silence(source.channels.length, count)
      const own = scratch[0]?.length === count ? scratch : scratch.map((channel) => channel.subarray(0, count))
      for (const channel of out) channel.fill(0)
      for (const { gain, voice } of parts) {
        voice.read(outputFrame, own)
        out.forEach((channel, c) => {
          const from = own[c] as Float32Array
          for (let i = 0; i < count; i++) channel[i] = (channel[i] as number) + gain * (from[i] as number)
        })
      }
    },
  }
}
