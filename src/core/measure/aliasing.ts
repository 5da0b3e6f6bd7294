import { asOutput } from '../timeline/axes'
import { type Artefact, unmeasured } from './artefacts'
import { type Comparison, originOf } from './comparison'
import { createSpectra } from './spectra'
import { createSpans, type Gatherer, SPAN_SECONDS } from './step'

/** what lies within this of something in the source may be its own shoulder, bins of the long window */
const NEAR_BINS = 14
/** and further off, what is this much stronger than anything the source has near there is none of its own */
const STRONGER = 20
/** a line stands this far out of what lies beside it, and it reaches over so many bins to either side */
const LINE = 40
const LINE_BINS = 3
/** steps that a line goes on for until it is one that the source would need as well */
const HELD_STEPS = 8
/** below this nothing is counted: −80 dB under the sound, where files of 16 bits have their own noise */
const FLOOR = 1e-8
/** What the source has within this time counts as near: a sound that a long window spreads is smeared, not folded. */
const SPREAD_SECONDS = 0.35
const JOINED = 4
/** a moment this far under the loudest one counts as no quieter: what lies under it there is not heard, power */
const QUIET = 1e-3

/**
 * Energy in the result where the source, moved by the pitch ratio, has nothing near, in pitch and in time.
 * A line that goes on counts as well where the source has noise now and then, but no line: a whistle between hits.
 * All is counted against the whole sound, as dB over −80 dB. Moments near attacks are left out: there everything is
 * everywhere.
 * @param loudest  power of the loudest column of the source.
 * @param size  of the columns, frames.
 */
export function createAliasing(comparison: Comparison, size: number, loudest: number): Gatherer<Artefact> {
  const spans = createSpans(comparison, SPAN_SECONDS)
  const near = createReach(comparison, size)
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
      near(reach, lines, resultFrame)
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

/** Whether a bin belongs to a line: what lies just beside it has hardly anything. */
function isLine(power: Float32Array, k: number): boolean {
  // what has as much at either side is none, and most are not
  if ((power[k] as number) <= (power[k - LINE_BINS] ?? 0) && (power[k] as number) <= (power[k + LINE_BINS] ?? 0))
    return false
  let top = k
  for (let n = k - LINE_BINS + 1; n < k + LINE_BINS; n++) if ((power[n] ?? 0) > (power[top] as number)) top = n
  let beside = 0
  for (let n = 2 * LINE_BINS; n <= NEAR_BINS; n++) beside = Math.max(beside, power[top - n] ?? 0, power[top + n] ?? 0)
  return (power[top] as number) > LINE * beside
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

interface Reach {
  /** the most near each bin, and the most that belongs to a line */
  readonly most: Float32Array
  readonly lines: Float32Array
}

/** Fills in the most that the source has near each bin, and near a frame of the result; of all, and of lines alone. */
function createReach(comparison: Comparison, size: number) {
  const { source } = comparison
  const hop = size / 2
  const read = createSpectra(source, size)
  const spread = SPREAD_SECONDS * source.sampleRate
  // columns are joined by fours: neighbouring steps ask for most of the same ones
  const blocks = new Map<number, Reach>()
  const block = (n: number) => {
    let wide = blocks.get(n)
    if (!wide) {
      const all = new Float32Array(size / 2 + 1)
      const own = new Float32Array(all.length)
      for (let c = n * JOINED; c < (n + 1) * JOINED; c++) {
        const { power } = read(c * hop)
        maxInto(all, power)
        for (let k = 1; k < power.length; k++)
          if ((power[k] as number) > (own[k] as number) && isLine(power, k)) own[k] = power[k] as number
      }
      wide = { most: new Float32Array(all.length), lines: new Float32Array(all.length) }
      slidingMaxInto(wide.most, all, NEAR_BINS)
      slidingMaxInto(wide.lines, own, NEAR_BINS)
      blocks.set(n, wide)
    }
    return wide
  }
  return (most: Float32Array, lines: Float32Array, resultFrame: number) => {
    const first = Math.floor((originOf(comparison, resultFrame - spread) - hop) / (JOINED * hop))
    const last = Math.floor((originOf(comparison, resultFrame + spread) + hop) / (JOINED * hop))
    // a result is gone through forwards
    for (const n of blocks.keys()) if (n < first) blocks.delete(n)
    most.fill(0)
    lines.fill(0)
    for (let n = first; n <= last; n++) {
      const found = block(n)
      maxInto(most, found.most)
      maxInto(lines, found.lines)
    }
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
