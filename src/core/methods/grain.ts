import { pickWithin, usualGapMs } from '../analysis/material'
import { frameCount } from '../audio/block'
import { overlapAddVoice, type SegmentMaker } from '../dsp/overlapAdd'
import { cosTurns, exp, exp2, log2, power, sinTurns } from '../dsp/portable'
import { drawAt } from '../dsp/random'
import { createSincReader } from '../dsp/sinc'
import { asOutput } from '../timeline/axes'
import { defineMethod, type MethodInput } from './method'
import { choice, number, type SettingsOf } from './settings'

const schema = {
  grainMs: number({
    label: 'Grain',
    unit: 'ms',
    min: 5,
    max: 500,
    default: 80,
    scale: 'log',
    trades: 'Longer keeps words and chords whole; shorter turns them to dust.',
  }),
  overlap: number({
    label: 'Overlap',
    unit: '×',
    min: 2,
    max: 16,
    default: 4,
    trades: 'More is denser and smoother; less lets single grains be heard.',
  }),
  jitterMs: number({
    label: 'Position jitter',
    unit: 'ms',
    min: 0,
    max: 500,
    step: 0.1,
    default: 12,
    trades: 'More hides repeats in long stretches and blurs rhythm.',
  }),
  pitchJitterCents: number({
    label: 'Pitch jitter',
    unit: 'cents',
    min: 0,
    max: 1200,
    default: 0,
    trades: 'A little thickens; a lot scatters the pitch.',
  }),
  reversePercent: number({
    label: 'Reversed',
    unit: '%',
    min: 0,
    max: 100,
    default: 0,
    trades: 'Share of grains played backwards.',
  }),
  spreadPercent: number({
    label: 'Spread',
    unit: '%',
    min: 0,
    max: 100,
    default: 0,
    trades: 'Throws grains left and right; 0 keeps the image of the source.',
  }),
  shape: choice({
    label: 'Shape',
    options: [
      { value: 'bell', label: 'Bell' },
      { value: 'plateau', label: 'Plateau' },
      { value: 'fall', label: 'Fall' },
    ],
    default: 'bell',
    trades: 'Bell is smoothest, plateau is fuller, fall makes every grain a small strike.',
  }),
}

/**
 * A cloud of short windowed pieces of the source. Each grain's place, pitch, direction and side are drawn from the seed
 * and its own number, so any part of the result can be made without what came before. Grains carry the pitch
 * themselves, by being read faster or slower.
 * Source  Roads 2001, "Microsound", chapter 3.
 */
export const grain = defineMethod({
  id: 'grain',
  label: 'Grain cloud',
  family: 'granular',
  use: 'Deliberate texture, 2 to 50 times: dust, shimmer, blur.',
  needs: ['attacks'],
  exactSeek: true,
  tiesPitchToSpeed: false,
  pitchBy: 'own',
  ownFormants: false,
  gainsByHold: false,
  ledByHand: true,
  seeded: true,
  timesRealTime: 250,
  settings: schema,
  // grains that hold a stroke, and jitter that does not throw it among its neighbours
  pick(analysis, sampleRate) {
    const gapMs = usualGapMs(analysis, sampleRate)
    const grainMs = pickWithin(gapMs && gapMs / 4, 30, 120, 80)
    return { grainMs, jitterMs: pickWithin(0.15 * grainMs, 4, 20, 12) }
  },
  latencyFrames: (settings, sampleRate) => Math.ceil(((settings.grainMs + settings.jitterMs) / 1000) * sampleRate),
  open: (input) => overlapAddVoice(createCloud(input)),
})

const READ_WIDTH = 24
const READ_ATTENUATION_DB = 70
/** grains that lie this far apart in the source no longer add up in phase */
const COHERENCE_SECONDS = 0.001

function createCloud(input: MethodInput<typeof schema>): SegmentMaker {
  const { source, map, pitch, settings, seed } = input
  const { sampleRate } = source
  const sourceFrames = frameCount(source)
  const wantedFrames = Math.max(16, (settings.grainMs / 1000) * sampleRate)
  const hop = Math.max(4, Math.round(wantedFrames / settings.overlap))
  // grains span whole hops, so that their windows add up evenly
  const length = hop * Math.round(settings.overlap)
  const window = shapeWindow(settings.shape, length)
  const jitterFrames = (settings.jitterMs / 1000) * sampleRate
  const amplitudeSum = window.reduce((sum, w) => sum + w, 0) / hop
  const powerSum = Math.sqrt(window.reduce((sum, w) => sum + w * w, 0) / hop)
  const positions = new Float64Array(length)
  const read = source.channels.map(() => new Float32Array(length))

  return {
    channelCount: source.channels.length,
    hop,
    length,
    lead: -(length >> 1),
    reset() {},
    addSegment(k, sum) {
      const draw = (slot: number) => drawAt(seed, k, slot)
      const centre = asOutput(k * hop)
      const place = map.sourceAt(centre) + jitterFrames * (2 * draw(0) - 1)
      const ratio = pitch.ratioAt(centre) * exp2((settings.pitchJitterCents / 1200) * (2 * draw(1) - 1))
      const backwards = draw(2) * 100 < settings.reversePercent
      const apart = hop * Math.abs(map.speedAt(centre) - (backwards ? -ratio : ratio)) + jitterFrames
      const mixing = exp(-apart / (COHERENCE_SECONDS * sampleRate))
      const gain = 1 / (power(amplitudeSum, mixing) * power(powerSum, 1 - mixing))
      const gains = sideGains(settings, draw(3), gain)
      const half = length >> 1
      if (ratio === 1) {
        const start = Math.round(place)
        for (let c = 0; c < sum.length; c++) {
          const into = sum[c] as Float32Array
          const from = source.channels[c] as Float32Array
          const level = gains[c & 1] as number
          for (let i = 0; i < length; i++) {
            const at = backwards ? start - (i - half) : start + (i - half)
            if (at >= 0 && at < sourceFrames) {
              into[i] = (into[i] as number) + level * (window[i] as number) * (from[at] as number)
            }
          }
        }
        return
      }
      // cut-offs in steps of an eighth octave: a jittered pitch must not ask for a new kernel with every grain
      const reader = createSincReader(
        READ_WIDTH,
        ratio > 1 ? exp2(Math.ceil(log2(ratio) * 8) / 8) : 1,
        READ_ATTENUATION_DB,
      )
      // positions have to rise: a grain that runs backwards is read from its end
      for (let i = 0; i < length; i++) positions[i] = place + ratio * (backwards ? half + 1 - length + i : i - half)
      reader.readManyInto(source.channels, positions, length, read, 0)
      for (let c = 0; c < sum.length; c++)
        addGrain(sum[c] as Float32Array, read[c] as Float32Array, window, gains[c & 1] as number, backwards)
    },
  }
}

function addGrain(into: Float32Array, grain: Float32Array, window: Float64Array, gain: number, backwards: boolean) {
  const last = grain.length - 1
  for (let i = 0; i <= last; i++) {
    into[i] = (into[i] as number) + gain * (window[i] as number) * (grain[backwards ? last - i : i] as number)
  }
}

/** Gains of left and right (even and odd channels) at constant power; both 1 at the middle. */
function sideGains(settings: SettingsOf<typeof schema>, draw: number, gain: number): [number, number] {
  if (settings.spreadPercent === 0) return [gain, gain]
  const turns = (1 + (settings.spreadPercent / 100) * (2 * draw - 1)) / 8
  return [Math.SQRT2 * gain * cosTurns(turns), Math.SQRT2 * gain * sinTurns(turns)]
}

function shapeWindow(shape: string, length: number): Float64Array {
  return Float64Array.from({ length }, (_, i) => {
    const t = (i + 0.5) / length
    if (shape === 'plateau') {
      const edge = Math.min(1, Math.min(t, 1 - t) / 0.25)
      return 0.5 - 0.5 * cosTurns(edge / 2)
    }
    if (shape === 'fall') {
      const rise = Math.min(1, t / 0.03)
      const release = Math.min(1, (1 - t) / 0.1)
      return (0.5 - 0.5 * cosTurns(rise / 2)) * exp(-4 * t) * (0.5 - 0.5 * cosTurns(release / 2))
    }
    return 0.5 - 0.5 * cosTurns(t)
  })
}
