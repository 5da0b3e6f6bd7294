import { asOutput } from '../timeline/axes'
import { type Artefact, unmeasured } from './artefacts'
import type { Comparison } from './comparison'
import { createSpans, type Gatherer, SPAN_SECONDS } from './step'

/** what lies within this of something in the source may be its own shoulder, bins of the long window */
const NEAR_BINS = 14
/** and further off, what is this much stronger than anything the source has near there is none of its own */
const STRONGER = 20
/** below this nothing is counted: −80 dB under the sound, where files of 16 bits have their own noise */
const FLOOR = 1e-8

/**
 * Energy in the result where the source, moved by the pitch ratio, has nothing near. Counted against all of the sound, as dB
 * over −80 dB. Looked at between attacks only: there everything is everywhere.
 */
export function createAliasing(comparison: Comparison): Gatherer<Artefact> {
  const spans = createSpans(comparison, SPAN_SECONDS)
  let reach = new Float32Array(0)
  let last = new Float32Array(0)
  let ringing = new Float32Array(0)
  let stray = 0
  let all = 0
  let steps = 0
  return {
    add({ got, want, natural, ratio, resultFrame, sourceFrame, restsWithin }) {
      const bins = got.power.length
      const nyquist = bins - 1
      // an attack at the very edge of a window is everywhere in the spectrum, if faintly
      if (!restsWithin(1.06 * nyquist)) return
      if (reach.length !== bins) {
        reach = new Float32Array(bins)
        last = new Float32Array(bins)
        ringing = new Float32Array(bins)
      }
      // a moment before counts too: the map may stand a little off
      ;[reach, last] = [last, reach]
      slidingMaxInto(reach, want.power, NEAR_BINS)
      if (natural && natural !== 'silence') {
        slidingMaxInto(ringing, natural.power, NEAR_BINS)
        for (let k = 0; k < bins; k++) reach[k] = Math.max(reach[k] as number, ringing[k] as number)
      }
      const formantRatio = comparison.formantRatioAt(asOutput(comparison.from + resultFrame))
      // what reaches to the very top of the source may well go on above it
      const ownAt = (bin: number) => {
        const k = Math.min(nyquist - NEAR_BINS, Math.round(bin))
        return Math.max(reach[k] as number, last[k] as number)
      }
      let here = 0
      const total = got.below[bins] as number
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
