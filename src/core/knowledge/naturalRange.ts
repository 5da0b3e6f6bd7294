import type { Material } from './material'

/** How far a sound can be stretched and transposed before people notice, and before they mind. */
export interface NaturalRange {
  /** output length ÷ source length */
  readonly natural: readonly [number, number]
  readonly slight: readonly [number, number]
  /** semitones up or down */
  readonly naturalPitch: number
  readonly slightPitch: number
  /** where the figures come from: of this very sound, or of its kind */
  readonly from: 'measured' | 'stated'
}

export type Reading = 'natural' | `${'slightly' | 'clearly'} ${'stretched' | 'shortened' | 'raised' | 'lowered'}`

/**
 * Stated defaults for a kind, with the method that serves it best: where renders of such sounds, measured against ideal
 * answers (docs/quality.md), are as good as the source, and up to where what is lost stays small.
 */
const STATED: Readonly<Record<Material['kind'], Omit<NaturalRange, 'from'>>> = {
  hits: { natural: [0.8, 1.25], slight: [0.6, 2], naturalPitch: 3, slightPitch: 7 },
  'single line': { natural: [0.75, 1.35], slight: [0.5, 2], naturalPitch: 4, slightPitch: 9 },
  chords: { natural: [0.75, 1.6], slight: [0.5, 4], naturalPitch: 3, slightPitch: 7 },
  'dense mix': { natural: [0.85, 1.2], slight: [0.7, 1.5], naturalPitch: 2, slightPitch: 5 },
  noise: { natural: [0.5, 4], slight: [0.25, 20], naturalPitch: 5, slightPitch: 12 },
  unsure: { natural: [0.85, 1.2], slight: [0.7, 1.5], naturalPitch: 2, slightPitch: 5 },
}

/** Measured breaking points take the place of the stated ones as far as there are some. `from` is about the lengths. */
export function naturalRange(kind: Material['kind'], measured?: Partial<Omit<NaturalRange, 'from'>>): NaturalRange {
  return { ...STATED[kind], ...measured, from: measured?.natural ? 'measured' : 'stated' }
}

/** How far something goes: 1 at the edge of what is natural, 2 at that of what is slight, and evenly between. */
function strainAt(distance: number, natural: number, slight: number): number {
  if (distance <= natural) return natural > 0 ? distance / natural : distance > 0 ? 2 : 0
  return 1 + (distance - natural) / Math.max(1e-9, slight - natural)
}

/**
 * How natural a length and a pitch sound, both together. Each takes its share of what a sound bears.
 * The words are of the one that strains more.
 */
export function readingOf(stretch: number, range: NaturalRange, pitchSemitones = 0): Reading {
  const side = stretch < 1 ? 0 : 1
  const log = (ratio: number) => Math.abs(Math.log(ratio))
  const length = strainAt(log(stretch), log(range.natural[side]), log(range.slight[side]))
  const pitch = strainAt(Math.abs(pitchSemitones), range.naturalPitch, range.slightPitch)
  const both = Math.hypot(length, pitch)
  if (both <= 1 + 1e-6) return 'natural'
  const grade = both <= 2 + 1e-6 ? 'slightly' : 'clearly'
  if (length >= pitch) return `${grade} ${stretch < 1 ? 'shortened' : 'stretched'}`
  return `${grade} ${pitchSemitones < 0 ? 'lowered' : 'raised'}`
}

/**
 * The half- or double-time reading of a stretch: the same tempo felt in other beats, at a stretch nearer to 1. 75 → 140 BPM
 * is a stretch of 0.54; 75 → 70 is one of 1.07. Undefined where the stretch is as near as it gets.
 */
export function otherReading(
  stretch: number,
): { readonly stretch: number; readonly feel: 'half' | 'double' } | undefined {
  const off = (x: number) => Math.abs(Math.log2(x))
  const half = { stretch: stretch * 2, feel: 'half' } as const
  const double = { stretch: stretch / 2, feel: 'double' } as const
  const best = off(half.stretch) < off(double.stretch) ? half : double
  return off(best.stretch) < off(stretch) - 1e-9 ? best : undefined
}
