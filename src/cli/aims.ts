import { stretchForFrames } from '../core'
import { type Arguments, UsageError } from './args'

/** How long a result is to be, as flags say it: by a stretch, a length, or a tempo. */
export type Aim =
  | { readonly kind: 'stretch'; readonly stretch: number }
  | { readonly kind: 'seconds'; readonly seconds: number }
  | { readonly kind: 'bpm'; readonly from: number | undefined; readonly to: number }

/** how sure a found tempo has to be to start from */
export const LEAST_TEMPO = 0.5

export const positive = (text: string | undefined) => {
  const value = Number(text)
  return text !== undefined && text.trim() !== '' && Number.isFinite(value) && value > 0 ? value : undefined
}

/** What `--seconds` or `--bpm` say; undefined where neither is there. @throws {UsageError} */
export function aimOf(args: Arguments): Aim | undefined {
  const seconds = args.text('seconds')
  if (seconds !== undefined) {
    const value = positive(seconds)
    if (value === undefined) throw new UsageError(`--seconds takes a length over 0, not "${seconds}"`)
    return { kind: 'seconds', seconds: value }
  }
  const bpm = args.text('bpm')
  if (bpm === undefined) return undefined
  const [first, second, ...more] = bpm.split(':')
  const to = positive(second ?? first)
  const from = second === undefined || first === '' ? undefined : positive(first)
  if (to === undefined || more.length > 0 || (second !== undefined && first !== '' && from === undefined))
    throw new UsageError(`--bpm takes FROM:TO in beats a minute, like 128:120, or the second alone, not "${bpm}"`)
  return { kind: 'bpm', from, to }
}

/**
 * The stretch that an aim comes to for a sound.
 * @param tempo  asked for only where the aim starts from a tempo that nobody said.
 * @returns undefined where that could not be told.
 */
export function stretchFor(
  aim: Aim,
  { frames, sampleRate }: { readonly frames: number; readonly sampleRate: number },
  tempo: () => { readonly bpm: number | undefined; readonly confidence: number },
): number | undefined {
  if (aim.kind === 'stretch') return aim.stretch
  if (aim.kind === 'seconds') return stretchForFrames(frames, Math.max(1, Math.round(aim.seconds * sampleRate)))
  if (aim.from !== undefined) return aim.from / aim.to
  const { bpm, confidence } = tempo()
  return bpm === undefined || confidence < LEAST_TEMPO ? undefined : bpm / aim.to
}
