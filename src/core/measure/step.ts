import { type Comparison, originOf } from './comparison'
import type { Spectrum } from './spectra'
import type { SteadyTone } from './steadyTones'

/** One moment between attacks, in the source and in the result. Overwritten by the next. */
export interface Step {
  readonly resultFrame: number
  readonly sourceFrame: number
  /** result Hz ÷ source Hz */
  readonly ratio: number
  /** long columns: partials apart */
  readonly got: Spectrum
  readonly want: Spectrum
  /** what the source has when it rings on by itself since the attack before, where that differs; silence once it must have ended */
  readonly natural: Spectrum | 'silence' | undefined
  /** short columns, half as long; read when they are asked for */
  short(): { readonly got: Spectrum; readonly want: Spectrum }
  readonly tones: readonly SteadyTone[]
  readonly binHz: number
  /** whether no attack lies within so many frames, in either */
  restsWithin(frames: number): boolean
}

/** Gathers one or two kinds of harm over all steps. */
export interface Gatherer<Result> {
  add(step: Step): void
  finish(): Result
}

/** Sums values over short spans of the source, which become places. */
export function createSpans(comparison: Comparison, seconds: number) {
  const spans = new Map<number, { sum: number; weight: number; output: number; source: number; count: number }>()
  const length = seconds * comparison.source.sampleRate
  /** how much of the source a span of the result around a frame stands for */
  const sourceLength = (resultFrame: number) =>
    Math.abs(originOf(comparison, resultFrame + length / 2) - originOf(comparison, resultFrame - length / 2))
  return {
    /** @param resultFrame of the result, from its start */
    add(resultFrame: number, sourceFrame: number, value: number, weight = 1) {
      // by output time, so that a long stretch has more places than its source
      const n = Math.floor(resultFrame / length)
      const span = spans.get(n) ?? { sum: 0, weight: 0, output: 0, source: 0, count: 0 }
      span.sum += value * weight
      span.weight += weight
      span.output += resultFrame
      span.source += sourceFrame
      span.count++
      spans.set(n, span)
    },
    /**
     * Mean of each span through `convert`, which may leave it out by answering undefined.
     * @param least  how many values a span needs, and what share of the heaviest span’s weight.
     *   One value is chance, and what is far quieter than the rest is not heard.
     */
    places(
      convert: (mean: number) => number | undefined = (mean) => mean,
      least: { readonly count?: number; readonly share?: number } = {},
    ) {
      let most = 0
      for (const { weight } of spans.values()) most = Math.max(most, weight)
      return [...spans.entries()]
        .sort(([a], [b]) => a - b)
        .flatMap(([, { sum, weight, output, source, count }]) => {
          const told = count >= (least.count ?? 1) && weight > 0 && weight >= (least.share ?? 0) * most
          const value = told ? convert(sum / weight) : undefined
          return value === undefined || !Number.isFinite(value)
            ? []
            : [
                {
                  sourceFrame: Math.round(source / count),
                  spanFrames: Math.round(sourceLength(output / count)),
                  outputFrame: Math.round(comparison.from + output / count),
                  value,
                },
              ]
        })
    },
  }
}

export const SPAN_SECONDS = 0.2
/** What a place needs to be told by steady partials: values, and a share of the most weight, −27 dB. */
export const TOLD_BY_TONES = { count: 3, share: 0.15 }
