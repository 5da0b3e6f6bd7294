import type { Dither, SampleFormat } from '../audio/sampleFormat'

/** What kinds of file a result can become. */
export const CONTAINERS = ['wav', 'flac', 'mp3', 'm4a', 'opus'] as const
export type Container = (typeof CONTAINERS)[number]

/** What each container is called, what its files end in, and what it can hold. */
export const containers: Readonly<
  Record<
    Container,
    {
      readonly label: string
      readonly ending: string
      readonly mime: string
      readonly mostChannels: number
      /** rates that it takes, Hz, rising; any whole one without */
      readonly rates?: readonly number[]
      /** whether it gives the very samples back */
      readonly exact: boolean
      /** kbit/s that may be chosen, of stereo */
      readonly kbps?: { readonly choices: readonly number[]; readonly usual: number }
    }
  >
> = {
  wav: { label: 'WAV', ending: 'wav', mime: 'audio/wav', mostChannels: 8, exact: true },
  flac: { label: 'FLAC', ending: 'flac', mime: 'audio/flac', mostChannels: 8, exact: true },
  mp3: {
    label: 'MP3',
    ending: 'mp3',
    mime: 'audio/mpeg',
    mostChannels: 2,
    rates: [8000, 11_025, 12_000, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000],
    exact: false,
    kbps: { choices: [128, 192, 256, 320], usual: 256 },
  },
  m4a: {
    label: 'M4A',
    ending: 'm4a',
    mime: 'audio/mp4',
    mostChannels: 2,
    rates: [8000, 11_025, 12_000, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000, 64_000, 88_200, 96_000],
    exact: false,
    kbps: { choices: [96, 128, 160, 192, 256, 320], usual: 192 },
  },
  opus: {
    label: 'Opus',
    ending: 'opus',
    mime: 'audio/ogg',
    mostChannels: 2,
    rates: [48_000],
    exact: false,
    kbps: { choices: [64, 96, 128, 192, 256], usual: 160 },
  },
}

/** the largest rate that a FLAC file states */
const MOST_FLAC_RATE = 655_350

/** The rate that a file of this kind has for a sound of another: the same, or the next one up that it takes. */
export function rateFor(container: Container, rate: number): number {
  const { rates } = containers[container]
  if (!rates) return container === 'flac' ? Math.min(Math.round(rate), MOST_FLAC_RATE) : rate
  return rates.find((one) => one >= rate) ?? (rates.at(-1) as number)
}

/** dBTP; how far below full scale a peak between samples may come */
export const CEILING_RANGE = { min: -20, max: 0 } as const
export const USUAL_CEILING_DB = -1
/** LUFS */
export const LOUDNESS_RANGE = { min: -40, max: -5 } as const

/** What is done about the level of a result. It goes up or down to a loudness, or until its peak is at the ceiling. */
export type Level =
  | { readonly kind: 'as-is' }
  | { readonly kind: 'loudness'; readonly lufs: number; readonly ceilingDb: number }
  | { readonly kind: 'peak'; readonly ceilingDb: number }

/** What becomes of a finished result on its way into a file. Plain data. */
export interface Delivery {
  readonly container: Container
  /** of WAV and FLAC */
  readonly depth: SampleFormat
  /** Hz; the source's without */
  readonly rate?: number | undefined
  readonly mono: boolean
  readonly level: Level
  /** of 16 bits */
  readonly dither: Dither
  /** kbit/s of what is not exact; the usual without */
  readonly kbps?: number | undefined
}

/** Whether a plain WAV file of the result is what is wanted already. */
export const isPlain = (
  { container, mono, level }: Pick<Delivery, 'container' | 'mono' | 'level'>,
  channelCount: number,
) => container === 'wav' && !(mono && channelCount > 1) && level.kind === 'as-is'

/** The depth that a file of this kind can have: whole numbers of up to 24 bits where the format knows no others. */
export const depthFor = (container: Container, depth: SampleFormat): SampleFormat =>
  container === 'flac' && depth !== '16' ? '24' : depth

/**
 * The depth of the WAV file that the result is written as first.
 * A file that keeps numbers gets the very numbers of it; all others are made of floating point.
 */
export const draftDepth = (delivery: Delivery, channelCount: number): SampleFormat =>
  isPlain({ ...delivery, container: 'wav' }, channelCount) && containers[delivery.container].exact
    ? depthFor(delivery.container, delivery.depth)
    : '32f'

/** Endings of names that files of a kind have, the usual one first. */
export const endingsOf = (container: Container): readonly string[] =>
  container === 'opus' ? ['opus', 'ogg'] : [containers[container].ending]

/** The kind of file that a name says; undefined where its ending says none. */
export const containerOf = (name: string): Container | undefined => {
  const ending = name.replace(/^.*\./, '').toLowerCase()
  return CONTAINERS.find((one) => endingsOf(one).includes(ending))
}
