import type { Texture } from './texture'

export type MaterialKind = 'hits' | 'single line' | 'chords' | 'dense mix' | 'noise'

/** What a sound is, as far as its length and pitch can be changed. */
export interface Material {
  readonly kind: MaterialKind | 'unsure'
  /** 0–1; what the runner-up has is part of the rest */
  readonly confidence: number
  /** the likeliest kind also where `kind` is unsure */
  readonly likely: MaterialKind
  /** of the energy: steady partials, attacks, neither; they sum to 1 */
  readonly shares: { readonly sines: number; readonly attacks: number; readonly noise: number }
  readonly reasons: readonly string[]
}

export interface MaterialEvidence {
  readonly texture: Texture
  /** share of the spectral peaks that one note cannot explain, 0–1; undefined where there are none */
  readonly beyondOneVoice: number | undefined
  /** share of the level in which a pitch was found, 0–1 */
  readonly pitched: number
  readonly attacksPerSecond: number
}

const KINDS: readonly MaterialKind[] = ['hits', 'single line', 'chords', 'dense mix', 'noise']
const SURE_FROM = 0.5
/** tones with noise of this flatness in them are two things at once */
const NOISE_UNDER_TONES = 0.06
const NOISE_UNDER_MIX = 0.08

/**
 * Multinomial logistic regression. Rows as `KINDS`; columns as in `columnOf`.
 * Source  fitted to core/testing/materials, seeds 2–4; mixtures went in as equally likely to be anything.
 */
const WEIGHTS: readonly (readonly number[])[] = [
  [-2.74, 0.78, 12.46, -2.49, 7.42, 4.2, -2.01, 1.07, -0.23, 6.59, -0.19],
  [1.45, 0.96, -6.37, -0.05, -0.69, 0.87, -1.51, -1.53, 0.06, -11.67, 2.22],
  [3.16, 0.32, -5.12, 0.4, -11.08, -5.43, -2.46, 0.5, -0.41, 6.76, -1.74],
  [-0.06, -0.83, -2.8, 1.19, -3.53, 1.28, 1.55, -1.05, 0.61, 1.82, -0.98],
  [-1.82, -1.23, 1.83, 0.94, 7.88, -0.92, 4.43, 1.01, -0.03, -3.51, 0.69],
]

function columnOf({ texture, beyondOneVoice, pitched, attacksPerSecond }: MaterialEvidence): number[] {
  const { sines, attacks, noise, flatness, peaky } = texture
  const beyond = beyondOneVoice ?? 1
  return [
    1,
    sines,
    attacks,
    noise,
    Math.min(0.5, flatness),
    peaky,
    beyond,
    pitched,
    Math.log2(0.3 + attacksPerSecond),
    beyond * sines,
    pitched * (1 - beyond),
  ]
}

function scoresOf(evidence: MaterialEvidence): number[] {
  const column = columnOf(evidence)
  return WEIGHTS.map((row) => row.reduce((sum, weight, i) => sum + weight * (column[i] as number), 0))
}

/** The kind of a sound, or `unsure` where the evidence fits several; and the figures that say so, in words. */
export function materialOf(evidence: MaterialEvidence): Material {
  const { texture, beyondOneVoice, pitched, attacksPerSecond } = evidence
  const { sines, attacks, noise } = texture
  if (sines + attacks + noise < 1e-6) {
    return {
      kind: 'unsure',
      confidence: 0,
      likely: 'noise',
      shares: { sines, attacks, noise },
      reasons: ['there is nothing in it: silence'],
    }
  }
  const scores = scoresOf(evidence)
  const most = Math.max(...scores)
  const odds = scores.map((score) => Math.exp(score - most))
  const total = odds.reduce((sum, value) => sum + value, 0)
  const shares = odds.map((value) => value / total)
  let confidence = Math.max(...shares)
  let likely = KINDS[shares.indexOf(confidence)] as MaterialKind
  // one voice that glides looks struck to the medians, but nothing struck has a pitch all the way
  if (pitched > 0.94 && (beyondOneVoice ?? 1) < 0.08 && mayBeOneGlide(texture)) {
    likely = 'single line'
    confidence = Math.max(confidence, 0.85)
  }
  // what is struck now and then and rings for long is heard as its tones
  const isStruckTone = isStruck(texture, attacksPerSecond)
  const rings = isStruckTone && likely === 'hits'
  if (isStruckTone && (likely === 'hits' || likely === 'chords')) {
    likely = 'chords'
    // what speaks for hits here speaks for struck tones
    const shareOf = (kind: MaterialKind) => shares[KINDS.indexOf(kind)] as number
    confidence = Math.max(confidence, shareOf('hits') + shareOf('chords'))
  }
  const muddied = isMuddied(likely, texture)
  const kind = confidence >= SURE_FROM && !muddied ? likely : 'unsure'
  return {
    kind,
    confidence: muddied ? Math.min(confidence, SURE_FROM - 0.02) : confidence,
    likely,
    shares: { sines: texture.sines, attacks: texture.attacks, noise: texture.noise },
    reasons: reasonsFor(kind, likely, rings, { texture, beyondOneVoice, pitched, attacksPerSecond }),
  }
}

const mayBeOneGlide = ({ flatness, peaky }: Texture) => flatness < 0.03 && peaky < 0.5

const isStruck = ({ sines }: Texture, attacksPerSecond: number) => sines > RINGS_FROM && attacksPerSecond < SELDOM

const isMuddied = (likely: MaterialKind, { flatness, peaky, attacks }: Texture): boolean =>
  likely === 'noise' || likely === 'hits'
    ? likely === 'hits' && flatness > NOISE_UNDER_MIX && peaky < 0.5 && attacks < 0.3
    : flatness > (likely === 'dense mix' ? NOISE_UNDER_MIX : NOISE_UNDER_TONES)

/**
 * The kind that `materialOf` comes to whatever the tones of a sound are, where its texture alone settles that.
 * Scores are bilinear in the two figures that tones give, so whatever holds at the corners of their ranges holds within.
 */
export function settledKind(texture: Texture, attacksPerSecond: number): Material['kind'] | undefined {
  if (texture.sines + texture.attacks + texture.noise < 1e-6) return 'unsure'
  const corners = [0, 1].flatMap((beyondOneVoice) =>
    [0, 1].map((pitched) => scoresOf({ texture, beyondOneVoice, pitched, attacksPerSecond })),
  )
  const [first] = corners
  if (!first) return undefined
  const best = first.indexOf(Math.max(...first))
  const odds = KINDS.map((_, k) => {
    const margin = Math.min(...corners.map((scores) => (scores[best] as number) - (scores[k] as number)))
    return Math.exp(-margin)
  })
  if (1 / odds.reduce((sum, value) => sum + value, 0) < SURE_FROM + 1e-6) return undefined
  const likely = KINDS[best] as MaterialKind
  if (mayBeOneGlide(texture) && likely !== 'single line') return undefined
  const heard = likely === 'hits' && isStruck(texture, attacksPerSecond) ? 'chords' : likely
  return isMuddied(heard, texture) ? 'unsure' : heard
}

/** A struck sound is its tones from this share of them on, and when it is struck more seldom than this a second. */
const RINGS_FROM = 0.75
const SELDOM = 1

const percent = (share: number) => `${Math.round(100 * share)} %`

function reasonsFor(
  kind: Material['kind'],
  likely: MaterialKind,
  rings: boolean,
  evidence: MaterialEvidence,
): string[] {
  const { texture, beyondOneVoice, pitched, attacksPerSecond } = evidence
  const energy = [
    ['steady tones', texture.sines],
    ['attacks', texture.attacks],
    ['noise', texture.noise],
  ] as const
  const [first, second] = [...energy].sort((a, b) => b[1] - a[1]) as unknown as [(typeof energy)[0], (typeof energy)[0]]
  const made = `${percent(first[1])} of the energy is ${first[0]}, ${percent(second[1])} ${second[0]}`
  const pace = `${attacksPerSecond.toFixed(1)} attacks a second`
  const bursts = `the loudest tenth of the time holds ${percent(texture.peaky)} of the energy`
  const pitch = `${percent(pitched)} of it has one clear pitch`
  const voices =
    beyondOneVoice === undefined
      ? 'no partials stand out'
      : `one note explains ${percent(1 - beyondOneVoice)} of the partials`
  const flat = `its spectrum is ${percent(texture.flatness)} as level as white noise`
  if (kind === 'unsure') {
    return [`most like ${likely}, but not clearly`, made, texture.flatness > NOISE_UNDER_TONES ? flat : voices, pace]
  }
  if (rings) return [made, `struck ${attacksPerSecond < 0.35 ? 'once or seldom' : 'now and then'}, and rings`, voices]
  if (kind === 'hits') return [bursts, pace, made]
  if (kind === 'single line') return [pitch, voices, made]
  if (kind === 'chords') return [voices, made, pace]
  if (kind === 'noise') return [flat, made, pitched < 0.02 ? 'no pitch was found' : pitch]
  return [voices, pace, made]
}
