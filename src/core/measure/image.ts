import { type Artefact, unmeasured } from './artefacts'
import type { Comparison } from './comparison'
import { BAND_COUNT, BAND_EDGES, type StereoSpectrum } from './spectra'
import { createSpans } from './step'

/** What the first two channels have to say to each other, band by band: powers and cross power. */
interface Covariance {
  readonly left: Float64Array
  readonly right: Float64Array
  readonly re: Float64Array
  readonly im: Float64Array
}

const empty = (): Covariance => ({
  left: new Float64Array(BAND_COUNT),
  right: new Float64Array(BAND_COUNT),
  re: new Float64Array(BAND_COUNT),
  im: new Float64Array(BAND_COUNT),
})

const GROUP_SECONDS = 1
/** Windows that say something of their own, to a window’s length; and how much two runs of noise differ by chance. */
const WINDOWS = 1.5
const CHANCE = 1

interface Group {
  readonly got: Covariance
  readonly want: Covariance
  readonly sourceSpan: { from: number; to: number }
  readonly resultSpan: { from: number; to: number }
  source: number
  output: number
  count: number
}

const newGroup = (sourceFrame: number, resultFrame: number): Group => ({
  got: empty(),
  want: empty(),
  sourceSpan: { from: sourceFrame, to: sourceFrame },
  resultSpan: { from: resultFrame, to: resultFrame },
  source: 0,
  output: 0,
  count: 0,
})

/**
 * How much of the energy lies elsewhere between the first two channels, in %: half the trace norm of the difference of their
 * normalised covariances, band by band. Level differences, coherence and phase between channels all move it.
 */
export function createImage(comparison: Comparison) {
  const stereo = comparison.source.channels.length >= 2
  const whole = { got: empty(), want: empty() }
  const groups = new Map<number, Group>()
  const { sampleRate } = comparison.source
  const group = GROUP_SECONDS * sampleRate
  const nyquist = sampleRate / 2
  const all = newGroup(0, 0)
  let windowFrames = 1
  let widthOf = (_band: number) => 1
  /** what chance alone moves in a band: two stretches of noise that are the same are never quite alike */
  const chanceOf = ({ sourceSpan, resultSpan }: Group) => {
    const own = (span: { from: number; to: number }) => 1 + (WINDOWS * (span.to - span.from)) / windowFrames
    return (b: number) => (CHANCE * (1 / own(sourceSpan) + 1 / own(resultSpan))) / Math.max(1, widthOf(b))
  }
  return {
    add(
      resultFrame: number,
      sourceFrame: number,
      ratio: number,
      got: StereoSpectrum,
      want: StereoSpectrum,
      binHz: number,
    ) {
      if (!stereo) return
      const n = Math.floor(resultFrame / group)
      const here = groups.get(n) ?? newGroup(sourceFrame, resultFrame)
      groups.set(n, here)
      for (const one of [here, all]) {
        one.sourceSpan.to = Math.max(one.sourceSpan.to, sourceFrame)
        one.resultSpan.to = Math.max(one.resultSpan.to, resultFrame)
      }
      const size = sampleRate / binHz
      widthOf = (b) => ((BAND_EDGES[b + 1] as number) - (BAND_EDGES[b] as number)) / binHz
      windowFrames = size
      here.source += sourceFrame
      here.output += resultFrame
      here.count++
      for (let b = 0; b < BAND_COUNT && (BAND_EDGES[b + 1] as number) * Math.max(1, ratio) < 0.92 * nyquist; b++) {
        const low = (BAND_EDGES[b] as number) / binHz
        const high = (BAND_EDGES[b + 1] as number) / binHz
        sumInto(whole.want, here.want, b, want, low, high)
        sumInto(whole.got, here.got, b, got, low * ratio, high * ratio)
      }
    },
    finish(): Artefact {
      if (!stereo || groups.size === 0) return unmeasured('image')
      const spans = createSpans(comparison, GROUP_SECONDS)
      for (const group of groups.values()) {
        const { got, want, source, output, count } = group
        spans.add(output / count, source / count, 100 * moved(got, want, chanceOf(group)).share)
      }
      const { share, coherence, levelDb } = moved(whole.got, whole.want, chanceOf(all))
      return {
        id: 'image',
        measured: true,
        value: 100 * share,
        places: spans.places(),
        parts: { coherenceChange: coherence, levelDifferenceDb: levelDb },
      }
    },
  }
}

function sumInto(whole: Covariance, group: Covariance, b: number, s: StereoSpectrum, low: number, high: number) {
  let left = 0
  let right = 0
  let re = 0
  let im = 0
  const to = Math.min(s.left.length - 1, Math.max(Math.round(low) + 1, Math.round(high)))
  for (let k = Math.round(low); k < to; k++) {
    left += s.left[k] as number
    right += s.right[k] as number
    re += s.crossRe[k] as number
    im += s.crossIm[k] as number
  }
  for (const sum of [whole, group]) {
    sum.left[b] = (sum.left[b] as number) + left
    sum.right[b] = (sum.right[b] as number) + right
    sum.re[b] = (sum.re[b] as number) + re
    sum.im[b] = (sum.im[b] as number) + im
  }
}

function moved(got: Covariance, want: Covariance, chance: (band: number) => number) {
  let share = 0
  let coherence = 0
  let levelDb = 0
  let weight = 0
  for (let b = 0; b < BAND_COUNT; b++) {
    const a = bandOf(want, b)
    const c = bandOf(got, b)
    if (!a || !c) continue
    // eigenvalues of a traceless Hermitian 2 × 2 matrix are ± its radius; half their sum is the radius
    const radius = Math.sqrt(
      ((a.left - c.left - (a.right - c.right)) / 2) ** 2 + (a.re - c.re) ** 2 + (a.im - c.im) ** 2,
    )
    const w = a.power ** 0.5
    // what is one thing in both channels has no chance about it
    share += w * Math.sqrt(Math.max(0, radius ** 2 - chance(b) * (1 - a.coherence ** 2)))
    coherence += w * Math.abs(a.coherence - c.coherence)
    levelDb += w * Math.abs(Math.max(-30, Math.min(30, a.differenceDb)) - Math.max(-30, Math.min(30, c.differenceDb)))
    weight += w
  }
  if (weight === 0) return { share: 0, coherence: 0, levelDb: 0 }
  return { share: share / weight, coherence: coherence / weight, levelDb: levelDb / weight }
}

function bandOf(of: Covariance, b: number) {
  const left = of.left[b] as number
  const right = of.right[b] as number
  const power = left + right
  if (power <= 1e-12) return undefined
  const re = of.re[b] as number
  const im = of.im[b] as number
  return {
    power,
    left: left / power,
    right: right / power,
    re: re / power,
    im: im / power,
    coherence: Math.hypot(re, im) / Math.sqrt(left * right + 1e-20),
    differenceDb: 10 * Math.log10((left + 1e-9 * power) / (right + 1e-9 * power)),
  }
}
