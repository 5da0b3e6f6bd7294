import { pickWithin, usualGapMs } from '../analysis/material'
import type { AudioBlock } from '../audio/block'
import { overlapAddVoice, type SegmentMaker } from '../dsp/overlapAdd'
import { log2, square } from '../dsp/portable'
import { emptyColumn, turnPeak } from '../dsp/spectra'
import { nearestPowerOfTwo } from '../dsp/units'
import { driftColumns } from '../kernels/driftColumn'
import { createSynthesis } from '../kernels/synthesis'
import { asOutput } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import { defineMethod } from './method'
import { pitchByResampling } from './pitchByResampling'
import { number } from './settings'

const schema = {
  windowMs: number({
    label: 'Window',
    unit: 'ms',
    min: 20,
    max: 3000,
    default: 340,
    scale: 'log',
    trades: 'Longer floats smoother and blurs what happens; shorter follows the sound and grows grainy.',
  }),
  clarity: number({
    label: 'Clarity',
    unit: '%',
    min: 0,
    max: 100,
    default: 80,
    trades: 'How many of the steady partials keep their phases and stay clear; 0 lets all drift into a haze.',
  }),
  freshPercent: number({
    label: 'Fresh noise',
    unit: '%',
    min: 0,
    max: 100,
    default: 100,
    trades: 'How far what is noise is drawn anew from its own spectrum; 0 holds on to the very moment and rings.',
  }),
}

/**
 * For far stretches. Long windows; what is noise at a moment is drawn afresh for each window from the spectrum it has there,
 * with one draw for all channels, so that the image holds; what is a steady partial goes on in its own phase. Windows
 * overlap so that their powers add up to one.
 * Source  the random-phase form of the phase vocoder after Moorer 1978, "The use of the phase vocoder in computer music
 *         applications"; noise redrawn from its envelope after Serra & Smith 1990, "Spectral modeling synthesis".
 */
export const drift = defineMethod({
  id: 'drift',
  label: 'Spectral drift',
  family: 'granular',
  use: 'Far stretches, 8 to 1000 times: beds and drones out of moments, and noise at any length.',
  needs: ['attacks'],
  exactSeek: false,
  tiesPitchToSpeed: false,
  pitchBy: 'reading back',
  ownFormants: false,
  gainsByHold: false,
  ledByHand: true,
  seeded: true,
  timesRealTime: 115,
  settings: schema,
  // what moves floats in shorter windows, what stands still in long ones
  pick(analysis, sampleRate) {
    const gapMs = usualGapMs(analysis, sampleRate)
    return { windowMs: pickWithin(gapMs && gapMs * 0.7, 170, 340, 340) }
  },
  latencyFrames: (settings, sampleRate) => nearestPowerOfTwo((settings.windowMs / 1000) * sampleRate, 256),
  open: ({ source, map, pitch, settings, seed }) =>
    pitchByResampling(source.channels.length, map, pitch, (inner) =>
      overlapAddVoice(
        createDrift(source, inner, {
          length: nearestPowerOfTwo((settings.windowMs / 1000) * source.sampleRate, 256),
          clarity: settings.clarity / 100,
          fresh: settings.freshPercent / 100,
          seed,
        }),
      ),
    ),
})

export interface DriftShape {
  readonly length: number
  /** 0–1 */
  readonly clarity: number
  /** 0–1 */
  readonly fresh: number
  readonly seed: number
}

const OVERLAP = 4
/** how far a peak has to stand out of its surroundings to count as a partial at full clarity, and at least, in power */
const CLEAR_FROM = 24

/** Also how other methods lay noise. */
export function createDrift(source: AudioBlock, map: TimeMap, shape: DriftShape): SegmentMaker {
  const { length, clarity, fresh, seed } = shape
  const hop = length / OVERLAP
  const bins = length / 2
  const channelCount = source.channels.length
  // analysis under Hann; clear partials add up in amplitude (Hann² again), haze in power (sine window, Σ sin² = OVERLAP / 2)
  const columns = driftColumns(source.channels, length, hop)
  const layClear = createSynthesis(length, 'hann')
  let clear = emptyColumn(channelCount, length)
  let last = emptyColumn(channelCount, length)
  const needed = log2(CLEAR_FROM / square(clarity))
  const clearScale = 1 / (0.375 * OVERLAP)
  // Σ hann² / length = 3/8: what a frame of noise loses under the analysis window
  const hazeScale = 1 / Math.sqrt(0.375 * (OVERLAP / 2))
  let previousSegment = Number.NaN

  function shapeClear(afresh: boolean) {
    const { now, before, power, isClear } = columns
    for (const column of clear) column.fill(0)
    for (let k = isClear.indexOf(1); k >= 0; ) {
      // one lobe, or lobes that touch: each bin belongs to the nearest peak, as in the locked vocoder
      let end = k
      while (end <= bins && isClear[end] === 1) end++
      let from = k
      while (from < end) {
        let peak = from
        while (peak + 1 < end && (power[peak + 1] as number) > (power[peak] as number)) peak++
        let to = peak + 1
        while (to < end && (power[to] as number) <= (power[to - 1] as number)) to++
        turnPeak(clear, now, last, before, from, to, !afresh)
        from = to
      }
      k = isClear.indexOf(1, end)
    }
  }

  return {
    channelCount,
    hop,
    length,
    lead: -bins,
    reset() {
      previousSegment = Number.NaN
    },
    addSegment(k, sum) {
      columns.analyse(Math.round(map.sourceAt(asOutput(k * hop))))
      if (clarity > 0 && columns.markClear(needed)) {
        shapeClear(previousSegment !== k - 1)
        layClear(clear, sum, clearScale)
        ;[clear, last] = [last, clear]
      } else for (const column of last) column.fill(0)
      columns.layHaze(sum, seed, k, fresh, hazeScale)
      previousSegment = k
    },
  }
}
