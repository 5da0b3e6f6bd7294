import { asOutput } from '../timeline/axes'
import { type Artefact, unmeasured } from './artefacts'
import { type Comparison, originOf } from './comparison'
import { isLine, maxInto, NEAR_BINS, type Reach, slidingMaxInto } from './reach'
import { createSpans, type Gatherer, SPAN_SECONDS } from './step'

/** and further off, what is this much stronger than anything the source has near there is none of its own */
const STRONGER = 20
/** steps that a line goes on for until it is one that the source would need as well */
const HELD_STEPS = 8
/** below this nothing is counted: −80 dB under the sound, where files of 16 bits have their own noise */
const FLOOR = 1e-8
/** What the source has within this time counts as near: a sound that a long window spreads is smeared, not folded. */
const SPREAD_SECONDS = 0.35
/** a moment this far under the loudest one counts as no quieter: what lies under it there is not heard, power */
const QUIET = 1e-3

/**
 * Energy in the result where the source, moved by the pitch ratio, has nothing near, in pitch and in time.
 * A line that goes on counts as well where the source has noise now and then, but no line: a whistle between hits.
 * All is counted against the whole sound, as dB over −80 dB. Moments near attacks are left out: there everything is
 * everywhere.
 * @param loudest  power of the loudest column of the source.
 * @param size  of the columns, frames.
 * @param near  what the source has.
 */
export function createAliasing(comparison: Comparison, size: number, loudest: number, near: Reach): Gatherer<Artefact> {
  const spans = createSpans(comparison, SPAN_SECONDS)
  const spread = SPREAD_SECONDS * comparison.source.sampleRate
  const bins = size / 2 + 1
  const reach = new Float32Array(bins)
  const lines = new Float32Array(bins)
  const ringing = new Float32Array(bins)
  const held = createHeld(bins)
  let stray = 0
  let all = 0
  let steps = 0
  return {
    add({ got, want, natural, ratio, resultFrame, sourceFrame, restsWithin }) {
      const nyquist = bins - 1
      // an attack at the very edge of a window is everywhere in the spectrum, if faintly
      if (!restsWithin(1.06 * nyquist)) return
      const around = [-spread, spread].map((frames) => originOf(comparison, resultFrame + frames)) as [number, number]
      near(reach, lines, ...around)
      held.add(got.power, want.power, resultFrame, size)
      if (natural && natural !== 'silence') {
        slidingMaxInto(ringing, natural.power, NEAR_BINS)
        maxInto(reach, ringing)
        maxInto(lines, ringing)
      }
      const formantRatio = comparison.formantRatioAt(asOutput(comparison.from + resultFrame))
      // where formants part from the pitch, partials that were faint may well be strong
      const inPlace = ratio === formantRatio
      // what reaches to the very top of the source may well go on above it
      const ownAt = (from: Float32Array, k: number) => {
        const at = (bin: number) => from[Math.min(nyquist - NEAR_BINS, Math.round(bin))] as number
        return inPlace ? at(k / ratio) : Math.max(at(k / ratio), at(k / formantRatio))
      }
      let here = 0
      const total = (got.below[bins] as number) + QUIET * loudest
      if (total <= 0) return
      const least = (FLOOR * total) / 20
      for (let k = 6; k < bins; k++) {
        const power = got.power[k] as number
        if (power < least) continue
        const isNew = power > STRONGER * ownAt(reach, k)
        if (isNew || (inPlace && isLine(got.power, k) && held.isNew(k, ratio) && power > STRONGER * ownAt(lines, k)))
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

/** The last steps of result and source: whether something goes on in the result, but not in the source. */
function createHeld(bins: number) {
  const steps = Array.from({ length: HELD_STEPS }, () => ({
    got: new Float32Array(bins),
    want: new Float32Array(bins),
  }))
  let count = 0
  let last = 0
  return {
    add(got: Float32Array, want: Float32Array, frame: number, size: number) {
      // an attack between them, and they are no neighbours
      count = frame - last > size ? 1 : count + 1
      last = frame
      const step = steps[count % HELD_STEPS] as (typeof steps)[number]
      step.got.set(got)
      slidingMaxInto(step.want, want, NEAR_BINS)
    },
    isNew(k: number, ratio: number): boolean {
      if (count < HELD_STEPS) return false
      const own = Math.min(bins - 1, Math.round(k / ratio))
      let got = Number.POSITIVE_INFINITY
      let want = Number.POSITIVE_INFINITY
      for (const step of steps) {
        got = Math.min(got, Math.max(step.got[k - 1] as number, step.got[k] as number, step.got[k + 1] ?? 0))
        want = Math.min(want, step.want[own] as number)
      }
      return got > STRONGER * want
    },
  }
}
