import { type AudioBlock, frameCount } from '../audio/block'
import { nearestPowerOfTwo } from '../dsp/units'
import { type Artefact, unmeasured } from './artefacts'
import type { Comparison } from './comparison'
import { createSelfLikeness } from './selfLikeness'
import { BAND_COUNT, BAND_EDGES, createSpectra, powerBetween } from './spectra'
import { mean, varianceAroundLine } from './statistics'
import { createSpans, type Gatherer, SPAN_SECONDS } from './step'

/** geometric over arithmetic mean of power: noise under a Hann window has −2.5 dB; under this a band is no noise */
const NOISE_FROM_DB = -4.2
/** share of a moment's power that has to be noise for anything to be said */
const LEAST_NOISE = 0.3
/** a wide band whose level falls so far in a tenth of a second, dB, is not even noise but something that ends */
const MOST_FALL_DB = 40
const GONE = 0.03
const LEAST_BINS = 10
/** bands this far under the strongest of their column are not heard as noise beside it */
const DEPTH = 10 ** -4
/** wide bands in which grains show, Hz */
const WIDE_EDGES = [300, 1000, 3000, 7000, 14_000] as const
const GRAIN_SECONDS = 0.0107
const GRAIN_COLUMNS = 24
/** grain is looked at in one step of so many: its windows reach over several */
const EVERY = 3
/** a source of which this much comes again by itself is no noise; and what comes again by chance */
const MOST_OWN = 0.5
const CHANCE = 0.02
/** what comes again is asked for once in so many looks at grain, and told by longer places */
const AGAIN_EVERY = 3
const AGAIN_SPAN_SECONDS = 1
/** columns that a place needs */
const LEAST_PLACE = 6
/** share of a wide band's power that has to be noise */
const MOSTLY = 0.7

/**
 * Noise against the noise of the source. Flatness tells whether single lines stand out of it. Grain tells whether its
 * level moves in another way within a tenth of a second. Repeat tells whether pieces of it are heard again and again.
 * Only bands that are noise in the source are looked at.
 */
export function createNoiseColour(comparison: Comparison): Gatherer<Artefact> {
  const { sampleRate } = comparison.source
  const size = nearestPowerOfTwo(GRAIN_SECONDS * sampleRate, 32)
  const grainHz = sampleRate / size
  const readResult = createSpectra(comparison.result, size)
  const readSource = createSpectra(comparison.source, size)
  const restless = (read: ReturnType<typeof createSpectra>, frame: number, lowHz: number, highHz: number) =>
    restlessness(read, frame, size / 2, lowHz / grainHz, highHz / grainHz)
  const margin = ((GRAIN_COLUMNS + 1) * size) / 4
  const isWithin = (frame: number, audio: AudioBlock) => frame > margin && frame < frameCount(audio) - margin
  const flat: number[] = []
  const spans = createSpans(comparison, 2 * SPAN_SECONDS)
  const againSpans = createSpans(comparison, AGAIN_SPAN_SECONDS)
  const grain = WIDE_EDGES.slice(1).map(() => ({ got: 0, want: 0, count: 0 }))
  const againInResult = createSelfLikeness(comparison.result)
  const againInSource = createSelfLikeness(comparison.source)
  const again = { sum: 0, count: 0 }
  let turn = 0
  const nyquist = sampleRate / 2
  return {
    add({ got, want, tones, ratio, binHz, resultFrame, sourceFrame, restsWithin }) {
      let strongest = 0
      const power: number[] = []
      for (let b = 0; b < BAND_COUNT; b++) {
        const value = powerBetween(want.below, (BAND_EDGES[b] as number) / binHz, (BAND_EDGES[b + 1] as number) / binHz)
        power.push(value)
        strongest = Math.max(strongest, value)
      }
      const noise = new Array<boolean>(BAND_COUNT).fill(false)
      const changes: number[] = []
      for (let b = 0; b < BAND_COUNT; b++) {
        const low = (BAND_EDGES[b] as number) / binHz
        const high = (BAND_EDGES[b + 1] as number) / binHz
        if (high - low < LEAST_BINS || (power[b] as number) < DEPTH * strongest || strongest === 0) continue
        if ((BAND_EDGES[b + 1] as number) * Math.max(1, ratio) > 0.92 * nyquist) break
        if (tones.some((tone) => tone.bin > low - 2 && tone.bin < high + 2)) continue
        const own = flatness(want.power, low, high)
        if (own < NOISE_FROM_DB) continue
        // what rings out by itself where the source is drawn out has no noise left to judge
        if (powerBetween(got.below, low * ratio, high * ratio) < GONE * (power[b] as number)) continue
        noise[b] = true
        if ((high - low) * ratio >= LEAST_BINS) changes.push(flatness(got.power, low * ratio, high * ratio) - own)
      }
      const noisy = power.reduce((sum, value, b) => sum + (noise[b] ? value : 0), 0)
      if (noisy < LEAST_NOISE * (want.below[want.power.length] as number)) return
      if (changes.length > 0) {
        const change = mean(changes)
        flat.push(change)
        spans.add(resultFrame, sourceFrame, change)
      }
      if (changes.length < 2 || turn++ % EVERY !== 0) return
      const asked = turn % (EVERY * AGAIN_EVERY) === 1
      const own = asked ? againInSource(sourceFrame) : undefined
      const now = asked ? againInResult(resultFrame) : undefined
      // what comes again in the source may come again in the result
      if (own !== undefined && now !== undefined && own < MOST_OWN) {
        const share = Math.max(0, now - own) / (1 - own)
        again.sum += share
        again.count++
        againSpans.add(resultFrame, sourceFrame, againDb(share))
      }
      if (!isWithin(resultFrame, comparison.result)) return
      if (!isWithin(sourceFrame, comparison.source) || !restsWithin(margin)) return
      for (const [g, sum] of grain.entries()) {
        const low = WIDE_EDGES[g] as number
        const high = WIDE_EDGES[g + 1] as number
        if (high * Math.max(1, ratio) > 0.92 * nyquist) continue
        let all = 0
        let noisy = 0
        for (let b = 0; b < BAND_COUNT; b++) {
          if ((BAND_EDGES[b] as number) < 0.99 * low || (BAND_EDGES[b + 1] as number) > 1.01 * high) continue
          all += power[b] as number
          if (noise[b]) noisy += power[b] as number
        }
        if (noisy < MOSTLY * all || all < 1e-3 * strongest) continue
        const own = restless(readSource, sourceFrame, low, high)
        const now = restless(readResult, resultFrame, low * ratio, high * ratio)
        if (own === undefined || now === undefined) continue
        sum.want += own
        sum.got += ratio * now
        sum.count++
      }
    },
    finish() {
      if (flat.length < 12) return unmeasured('noise-colour')
      // columns scatter by themselves, in both directions; only what is left in the mean is harm
      const tonal = mean(flat)
      const grains = grain.filter((sum) => sum.count >= 4)
      const grainDb = mean(
        grains.map((sum) => Math.abs(Math.sqrt(sum.got / sum.count) - Math.sqrt(sum.want / sum.count))),
      )
      const repeatDb = again.count >= 4 ? againDb(Math.max(0, again.sum / again.count - CHANCE)) : 0
      const scatter = 0.35
      return {
        id: 'noise-colour',
        measured: true,
        value: Math.max(Math.abs(tonal), grainDb, repeatDb),
        // what it suffers from most is what its places tell
        places:
          repeatDb > Math.max(Math.abs(tonal), grainDb)
            ? againSpans.places(undefined, { count: 3 })
            : spans.places((change) => Math.max(0, Math.abs(change) - scatter), { count: LEAST_PLACE }),
        parts: { flatnessDb: tonal, grainDb, repeatDb },
      }
    },
  }
}

/** Noise of which a share has been heard just before, dB: how much less of it is new. */
const againDb = (share: number) => -10 * Math.log10(1 - Math.min(0.99, share))

function flatness(power: Float32Array, low: number, high: number): number {
  let logs = 0
  let sum = 0
  const from = Math.ceil(low)
  const to = Math.min(power.length, Math.floor(high))
  for (let k = from; k < to; k++) {
    const value = (power[k] as number) + 1e-18
    logs += Math.log10(value)
    sum += value
  }
  const count = to - from
  return count > 0 ? 10 * (logs / count - Math.log10(sum / count)) : 0
}

/** Variance of a band's level around a straight line over a tenth of a second, dB². */
function restlessness(
  read: ReturnType<typeof createSpectra>,
  centre: number,
  hop: number,
  low: number,
  high: number,
): number | undefined {
  const middle = (GRAIN_COLUMNS - 1) / 2
  const levels: number[] = []
  for (let n = 0; n < GRAIN_COLUMNS; n++) {
    levels.push(10 * Math.log10(powerBetween(read(centre + (n - middle) * hop).below, low, high) + 1e-14))
  }
  if (Math.max(...levels) - Math.min(...levels) > MOST_FALL_DB) return undefined
  return varianceAroundLine(levels)
}
