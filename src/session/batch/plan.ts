import {
  AppError,
  type Material,
  methodById,
  naturalRange,
  readingOf,
  stretchForFrames,
  suggestMethod,
} from '../../core'
import type { Key } from '../schema'
import { keyInterval } from '../target'

/** What is to become of one file among many that are brought to one target: worked out, with what is doubtful. */

/** How long a result is to be: by a stretch, a length, or a tempo. */
export type Aim =
  | { readonly kind: 'stretch'; readonly stretch: number }
  | { readonly kind: 'seconds'; readonly seconds: number }
  /** BPM; `from` where it was said */
  | { readonly kind: 'bpm'; readonly from: number | undefined; readonly to: number }

export interface BatchKey {
  /** 0 is C */
  readonly root: number
  readonly mode: 'major' | 'minor' | undefined
}

/** What is wanted of every file. Plain data. */
export interface BatchWish {
  readonly aim: Aim
  /** brought to this key by the shorter way */
  readonly key: BatchKey | undefined
  /** added to what the key asks for */
  readonly semitones: number
  /** undefined: by the material */
  readonly method: string | undefined
}

/** What is known of a file, asked for only where it is needed: finding out may take as long as rendering. */
export interface FileKnown {
  tempo(): { readonly bpm?: number | undefined; readonly confidence: number }
  pitch(): {
    readonly root?: number | undefined
    readonly mode?: 'major' | 'minor' | undefined
    readonly confidence: number
  }
  material(): Pick<Material, 'kind'>
  /** whether asking for the material costs nothing */
  hasMaterial(): boolean
}

export interface FilePlan {
  readonly stretch: number
  readonly semitones: number
  /** undefined where nothing changes and none was asked for: then any method gives the source */
  readonly methodId: string | undefined
  /** how natural it should sound, by its material, where that is known */
  readonly reading: string | undefined
  /** what may not hold */
  readonly doubts: readonly string[]
}

/** how sure a found tempo has to be to start from */
export const LEAST_TEMPO = 0.5
/** below it a tempo, or a key, is worked from in doubt; below the other no key is */
const SURE = 0.8
const LEAST_KEY = 0.3

/**
 * The stretch that an aim comes to for a sound.
 * @param tempo  asked for only where the aim starts from a tempo that nobody said.
 * @returns undefined where that could not be told.
 */
export function stretchFor(
  aim: Aim,
  { frames, sampleRate }: { readonly frames: number; readonly sampleRate: number },
  tempo: FileKnown['tempo'],
): number | undefined {
  if (aim.kind === 'stretch') return aim.stretch
  if (aim.kind === 'seconds') return stretchForFrames(frames, Math.max(1, Math.round(aim.seconds * sampleRate)))
  if (aim.from !== undefined) return aim.from / aim.to
  const { bpm, confidence } = tempo()
  return bpm === undefined || confidence < LEAST_TEMPO ? undefined : bpm / aim.to
}

/** @throws {AppError} `batch/no-tempo`, where it goes by a tempo and none is clear. */
export function planFile(
  { aim, key, semitones: added, method }: BatchWish,
  size: { readonly frames: number; readonly sampleRate: number },
  known: FileKnown,
  file: string,
): FilePlan {
  const doubts: string[] = []
  const stretch = stretchFor(aim, size, () => {
    const tempo = known.tempo()
    if (tempo.confidence < SURE) doubts.push(`tempo ${Math.round(100 * tempo.confidence)} % sure`)
    return tempo
  })
  if (stretch === undefined) throw new AppError('batch/no-tempo', { file })
  let semitones = added
  if (key) {
    const { root, mode, confidence } = known.pitch()
    if (root === undefined || confidence < LEAST_KEY) doubts.push('no key found: its pitch stays')
    else {
      semitones += keyInterval({ root, ...(mode && { mode }) } as Key, key as Key)
      if (confidence < SURE) doubts.push(`key ${Math.round(100 * confidence)} % sure`)
    }
  }
  const isPlain = stretch === 1 && semitones === 0
  const methodId = method ?? (isPlain ? undefined : suggestMethod(known.material(), stretch).methodId)
  const reading = known.hasMaterial() ? readingOf(stretch, naturalRange(known.material().kind), semitones) : undefined
  if (reading?.startsWith('clearly')) doubts.push(reading)
  if (methodId !== undefined && semitones !== 0 && methodById(methodId).tiesPitchToSpeed)
    doubts.push(`${methodById(methodId).label} ties pitch to speed`)
  return { stretch, semitones, methodId, reading, doubts }
}
