import { type Comings, type Imprint, promiseOf } from '../../../core'
import { scratchFolder } from '../../../engine'
import { contentKey, playedRecipe, type Source } from '../../../session'
import { bringIn } from '../files/arrivals'
import { playback } from '../hear/listening'
import { analysisOf } from '../know/analyses'
import { pool } from '../state/engine'
import { tell } from '../state/notices'
import { type PromisingPair, store } from '../state/store'
import { soundOf } from './instruments'

/** One sound imprinted on another: made in the background, heard, and taken to the shelf. */

const { getState, setState } = store

export interface ImprintSideChosen {
  readonly source: string
  /** id of a variant; the source itself without */
  readonly variant?: string | undefined
}

export const IMPRINTING = 'imprint'
let stop: AbortController | undefined
/** what was made last, and of what */
let last: { readonly key: string; readonly blob: Blob; readonly name: string } | undefined

const sourceOf = (id: string) => getState().history.present.sources.find((source) => source.id === id)

const keyOf = (source: Source, { variant }: ImprintSideChosen) =>
  contentKey(source, variant === undefined ? 'source' : playedRecipe(source, variant))

async function sideOf(source: Source, { variant }: ImprintSideChosen) {
  const sound = await soundOf(source)
  if (variant === undefined) return { sound, recipe: undefined, analysis: {} }
  const recipe = playedRecipe(source, variant)
  return { sound, recipe, analysis: await analysisOf(source, sound, recipe) }
}

async function made(body: ImprintSideChosen, rhythm: ImprintSideChosen, by: Imprint) {
  const [one, other] = [sourceOf(body.source), sourceOf(rhythm.source)]
  if (!one || !other || stop) return undefined
  const key = `${keyOf(one, body)} ${keyOf(other, rhythm)} ${JSON.stringify(by)}`
  if (last?.key === key) return last
  const own = new AbortController()
  stop = own
  const name = `${other.name} on ${one.name}`
  const show = (progress: number) =>
    setState((state) => ({ exports: { ...state.exports, [IMPRINTING]: { name, progress } } }))
  show(0)
  try {
    const sides = [await sideOf(one, body), await sideOf(other, rhythm)] as const
    const { blob } = await pool.run<'imprint'>(
      { kind: 'imprint', body: sides[0], rhythm: sides[1], by, folder: scratchFolder() },
      { signal: own.signal, rank: 0, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
    )
    last = { key, blob, name }
    return last
  } catch (error) {
    if (!own.signal.aborted) tell(error)
    return undefined
  } finally {
    stop = undefined
    setState(({ exports: { [IMPRINTING]: _, ...others } }) => ({ exports: others }))
  }
}

export const cancelImprint = () => stop?.abort()

export async function hearImprint(body: ImprintSideChosen, rhythm: ImprintSideChosen, by: Imprint) {
  const result = await made(body, rhythm, by)
  if (!result) return
  const sound = await pool.run<'open'>({ kind: 'open', blob: result.blob, file: `${result.name}.wav` }, { rank: 0 })
  await playback.audition({ sound, stretch: 1, methodId: 'wsola', analysis: {}, gain: 1 })
}

export async function imprintToShelf(body: ImprintSideChosen, rhythm: ImprintSideChosen, by: Imprint) {
  const result = await made(body, rhythm, by)
  if (!result) return
  await bringIn([new File([result.blob], `${result.name}.wav`, { type: 'audio/wav' })])
}

const comings = new Map<string, Comings>()
const asking = new Set<string>()

/** Find out of all sources how much they come and go, as long as somebody wants to know. */
export async function lookForPairs() {
  for (const source of getState().history.present.sources) {
    const key = contentKey(source)
    if (comings.has(key) || asking.has(key) || !source.facts) continue
    asking.add(key)
    try {
      comings.set(key, await pool.run<'comings'>({ kind: 'comings', sound: await soundOf(source) }, { rank: 3 }))
      setState(({ history }) => ({ pairs: promisingPairs(history.present.sources) }))
    } catch {
      // what cannot be read is told where it is opened
    } finally {
      asking.delete(key)
    }
  }
}

/** Pairs that promise most, the best first: one that comes and goes on one that goes on. */
function promisingPairs(sources: readonly Source[]): PromisingPair[] {
  const known = sources.flatMap((source) => {
    const own = comings.get(contentKey(source))
    return own ? [{ source, own }] : []
  })
  return known
    .flatMap((rhythm) =>
      known
        .filter(({ source }) => source !== rhythm.source)
        .map((body) => ({
          rhythm: rhythm.source.id,
          body: body.source.id,
          ...promiseOf(rhythm.own, body.own),
        })),
    )
    .filter(({ promise }) => promise > 0)
    .sort((a, b) => b.promise - a.promise)
    .slice(0, 3)
}
