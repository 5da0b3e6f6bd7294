import { asOutput } from '../timeline/axes'
import { type Artefact, unmeasured } from './artefacts'
import { type Comparison, originOf } from './comparison'
import { createSpectra } from './spectra'
import { createSpans, type Gatherer, SPAN_SECONDS } from './step'

/** what lies within this of something in the source may be its own shoulder, bins of the long window */
const NEAR_BINS = 14
/** and further off, what is this much stronger than anything the source has near there is none of its own */
const STRONGER = 20
/** below this nothing is counted: −80 dB under the sound, where files of 16 bits have their own noise */
const FLOOR = 1e-8
/** What the source has within this time counts as near: a sound that a long window spreads is smeared, not folded. */
const SPREAD_SECONDS = 0.35
const JOINED = 4
/** a moment this far under the loudest one counts as no quieter: what lies under it there is not heard, power */
const QUIET = 1e-3

/**
 * Energy in the result where the source, moved by the pitch ratio, has nothing near, in pitch and in time.
 * It is counted against all of the sound, as dB over −80 dB. Moments near attacks are left out: there everything is
 * everywhere.
 * @param loudest  power of the loudest column of the source.
 * @param size  of the columns, frames.
 */
export function createAliasing(comparison: Comparison, size: number, loudest: number): Gatherer<Artefact> {
  const spans = createSpans(comparison, SPAN_SECONDS)
  const near = createReach(comparison, size)
  const bins = size / 2 + 1
  const reach = new Float32Array(bins)
  const ringing = new Float32Array(bins)
  let stray = 0
  let all = 0
  let steps = 0
  return {
    add({ got, natural, ratio, resultFrame, sourceFrame, restsWithin }) {
      const nyquist = bins - 1
      // an attack at the very edge of a window is everywhere in the spectrum, if faintly
      if (!restsWithin(1.06 * nyquist)) return
      near(reach, resultFrame)
      if (natural && natural !== 'silence') {
        slidingMaxInto(ringing, natural.power, NEAR_BINS)
        for (let k = 0; k < bins; k++) reach[k] = Math.max(reach[k] as number, ringing[k] as number)
      }
      const formantRatio = comparison.formantRatioAt(asOutput(comparison.from + resultFrame))
      // what reaches to the very top of the source may well go on above it
      const ownAt = (bin: number) => reach[Math.min(nyquist - NEAR_BINS, Math.round(bin))] as number
      let here = 0
      const total = (got.below[bins] as number) + QUIET * loudest
      if (total <= 0) return
      const least = (FLOOR * total) / 20
      for (let k = 6; k < bins; k++) {
        const power = got.power[k] as number
        if (power < least) continue
        if (
          power > STRONGER * ownAt(k / ratio) &&
          (ratio === formantRatio || power > STRONGER * ownAt(k / formantRatio))
        )
          here += power
      }
      stray += here
      all += total
      steps++
      spans.add(resultFrame, sourceFrame, here / total)
    },
    finish() {
      if (steps < 3) return unmeasured('aliasing')
      const over = (share: number) => Math.max(0, 10 * Math.log10(share + 1e-20) - 10 * Math.log10(FLOOR))
      return {
        id: 'aliasing',
        measured: true,
        value: over(stray / all),
        places: spans.places(over),
        parts: { strayDb: 10 * Math.log10(stray / all + 1e-12) },
      }
    },
  }
}

/** Fills in the most that the source has near each bin, and near a frame of the result. */
function createReach(comparison: Comparison, size: number) {
  const { source } = comparison
  const hop = size / 2
  const read = createSpectra(source, size)
  const spread = SPREAD_SECONDS * source.sampleRate
  // columns are joined by fours: neighbouring steps ask for most of the same ones
  const blocks = new Map<number, Float32Array>()
  const block = (n: number) => {
    let wide = blocks.get(n)
    if (!wide) {
      const most = new Float32Array(size / 2 + 1)
      for (let c = n * JOINED; c < (n + 1) * JOINED; c++) maxInto(most, read(c * hop).power)
      wide = new Float32Array(most.length)
      slidingMaxInto(wide, most, NEAR_BINS)
      blocks.set(n, wide)
    }
    return wide
  }
  return (out: Float32Array, resultFrame: number) => {
    const first = Math.floor((originOf(comparison, resultFrame - spread) - hop) / (JOINED * hop))
    const last = Math.floor((originOf(comparison, resultFrame + spread) + hop) / (JOINED * hop))
    // a result is gone through forwards
    for (const n of blocks.keys()) if (n < first) blocks.delete(n)
    out.fill(0)
    for (let n = first; n <= last; n++) maxInto(out, block(n))
  }
}

function maxInto(most: Float32Array, values: Float32Array) {
  for (let k = 0; k < most.length; k++) if ((values[k] as number) > (most[k] as number)) most[k] = values[k] as number
}

/** The largest value within `reach` of each place, by a queue of falling candidates. */
function slidingMaxInto(out: Float32Array, values: Float32Array, reach: number) {
  const queue = new Int32Array(values.length)
  let head = 0
  let tail = 0
  let next = 0
  for (let i = 0; i < values.length; i++) {
    for (; next < values.length && next <= i + reach; next++) {
      while (tail > head && (values[queue[tail - 1] as number] as number) <= (values[next] as number)) tail--
      queue[tail++] = next
    }
    while ((queue[head] as number) < i - reach) head++
    out[i] = values[queue[head] as number] as number
  }
}
