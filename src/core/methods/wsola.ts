import { longestPeriodMs, pickWithin, usualGapMs } from '../analysis/material'
import type { AudioBlock } from '../audio/block'
import { frameCount } from '../audio/block'
import { alikeness, levelKept } from '../dsp/alike'
import { overlapAddVoice, type SegmentMaker } from '../dsp/overlapAdd'
import { lowerBound } from '../dsp/search'
import { createSimilaritySearch } from '../dsp/similarity'
import { hann } from '../dsp/window'
import { asOutput, asSource } from '../timeline/axes'
import type { TimeMap } from '../timeline/timeMap'
import { defineMethod } from './method'
import { pitchByResampling } from './pitchByResampling'
import { number } from './settings'

/**
 * Overlap-add of source segments, each taken from where the source is most like the natural continuation of the segment
 * before it, within a search range around its mapped place. One decision serves all channels. A segment in which an attack
 * sounds takes it from its own place, and no other segment may reach over that attack: so it sounds once, at its time.
 * Source  Verhelst & Roelands 1993, "An overlap-add technique based on waveform similarity (WSOLA)".
 */
export const wsola = defineMethod({
  id: 'wsola',
  label: 'Waveform match',
  family: 'transient',
  use: 'Speech, single lines and light work: keeps the waveform, moves its pieces.',
  needs: ['attacks', 'pitch'],
  exactSeek: false,
  tiesPitchToSpeed: false,
  pitchBy: 'reading back',
  ownFormants: false,
  gainsByHold: true,
  seeded: false,
  timesRealTime: 190,
  settings: {
    segmentMs: number({
      label: 'Segment',
      unit: 'ms',
      min: 8,
      max: 120,
      default: 32,
      scale: 'log',
      trades: 'Longer holds low notes together; shorter keeps hits from doubling.',
    }),
    searchMs: number({
      label: 'Search',
      unit: 'ms',
      min: 1,
      max: 50,
      default: 14,
      scale: 'log',
      trades: 'Wider finds smoother joins on low notes; narrower keeps timing tighter.',
    }),
  },
  // one line asks for two of its longest periods and no more, attacks for what fits between them
  pick(analysis, sampleRate) {
    const periodMs = longestPeriodMs(analysis)
    const gapMs = usualGapMs(analysis, sampleRate)
    const segmentMs = periodMs ? pickWithin(2 * periodMs, 20, 40, 32) : pickWithin(gapMs && gapMs / 8, 24, 64, 64)
    return { segmentMs, searchMs: pickWithin(0.45 * segmentMs, 6, 30, 14) }
  },
  latencyFrames: (settings, sampleRate) => Math.ceil(((settings.segmentMs + settings.searchMs) / 1000) * sampleRate),
  open: ({ source, map, pitch, settings, analysis }) =>
    pitchByResampling(source.channels.length, map, pitch, (inner) =>
      overlapAddVoice(
        createWsola(
          source,
          inner,
          (analysis.attacks ?? []).map((attack) => attack.frame),
          settings.segmentMs,
          settings.searchMs,
        ),
      ),
    ),
})

/** frames before an attack that belong to it: its first rise may lie before where it was found */
const LEAD_SECONDS = 0.001

function createWsola(
  source: AudioBlock,
  map: TimeMap,
  attacks: readonly number[],
  segmentMs: number,
  searchMs: number,
): SegmentMaker {
  const hop = Math.max(8, Math.round((segmentMs / 2000) * source.sampleRate))
  const length = 2 * hop
  const reach = Math.max(1, Math.round((searchMs / 1000) * source.sampleRate))
  const lead = Math.round(LEAD_SECONDS * source.sampleRate)
  const window = hann(length)
  const last = Math.max(0, frameCount(source) - length)
  const search = createSimilaritySearch(source, length, 2 * reach)
  const places = attacks.map((frame) => Math.round(map.outputAt(asSource(frame))))
  // of the two windows that meet
  const both = Float64Array.from({ length: hop }, (_, i) => (window[i] as number) * (window[i + hop] as number))
  const gains = new Float64Array(hop)
  let previous: number | undefined
  let previousSegment = Number.NaN

  /** Where segment k may start: at one place if an attack sounds in it, else in a range that reaches over no attack. */
  function allowed(k: number): { low: number; high: number; wanted: number } {
    const begin = k * hop - hop
    const mapped = Math.round(map.sourceAt(asOutput(k * hop))) - hop
    const next = lowerBound(places, begin)
    // of several attacks in one segment the middle of its window decides
    let own = -1
    for (let i = next; i < places.length && (places[i] as number) < begin + length; i++) {
      if (own < 0 || Math.abs((places[i] as number) - k * hop) < Math.abs((places[own] as number) - k * hop)) own = i
    }
    if (own >= 0) {
      const start = (attacks[own] as number) - ((places[own] as number) - begin)
      return { low: start, high: start, wanted: start }
    }
    // segments stay inside the source, but for the half one that leads in: past the ends there is nothing to match
    let low = k <= 0 ? mapped - reach : Math.max(0, mapped - reach)
    let high = k <= 0 ? mapped + reach : Math.min(last, mapped + reach)
    const before = attacks[next - 1]
    const behind = attacks[next]
    if (before !== undefined) low = Math.max(low, before + lead)
    if (behind !== undefined) high = Math.min(high, behind - lead - length)
    // between two attacks that lie closer than a segment there is no free place: then the mapped one has to do
    if (high < low) low = high = k <= 0 ? mapped : Math.min(last, Math.max(0, mapped))
    high = Math.min(high, low + 2 * reach)
    return { low, high, wanted: Math.min(high, Math.max(low, mapped)) }
  }

  /**
   * Where two segments meet that are not alike, as in noise, their sum is fainter in the middle: by that much it is
   * raised again, by one likeness for all channels. What goes on as it was recorded is left alone.
   */
  function keepLevel(sum: readonly Float32Array[], goesOn: number, start: number) {
    if (start === goesOn) return
    const { channels } = source
    const shared = inCommon(alikeness({ channels, start: goesOn }, { channels, start }, both))
    if (shared >= 1) return
    for (let i = 0; i < hop; i++) gains[i] = levelKept(window[i + hop] as number, window[i] as number, shared)
    for (const into of sum) for (let i = 0; i < hop; i++) into[i] = (into[i] as number) * (gains[i] as number)
  }

  return {
    channelCount: source.channels.length,
    hop,
    length,
    lead: -hop,
    reset() {
      previous = undefined
    },
    addSegment(k, sum) {
      const { low, high, wanted } = allowed(k)
      const goesOn = previous !== undefined && previousSegment === k - 1 ? previous + hop : undefined
      let start = wanted
      // an attack rises as it was recorded
      const level = high > low && goesOn !== undefined
      if (level) start = search(goesOn, low, high, wanted).start
      previous = start
      previousSegment = k
      for (let c = 0; c < sum.length; c++) {
        const from = source.channels[c] as Float32Array
        const into = sum[c] as Float32Array
        const first = Math.max(0, -start)
        const end = Math.min(length, from.length - start)
        for (let i = first; i < end; i++) {
          into[i] = (into[i] as number) + (window[i] as number) * (from[start + i] as number)
        }
      }
      if (level) keepLevel(sum, goesOn, start)
    },
  }
}

/**
 * Noise has next to nothing in common with other noise. Tones that are as alike as the second of these beat where they
 * meet: raising them would be heard, and they are left as they are.
 */
const NOISE_ALIKE = 0.3
const TONES_ALIKE = 0.6

/** What two stretches count as having in common, from how alike they are. */
const inCommon = (alike: number) =>
  alike <= NOISE_ALIKE
    ? Math.max(0, alike)
    : Math.min(1, NOISE_ALIKE + ((1 - NOISE_ALIKE) * (alike - NOISE_ALIKE)) / (TONES_ALIKE - NOISE_ALIKE))
