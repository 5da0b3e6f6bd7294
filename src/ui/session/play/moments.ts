import type { Moment } from '../../../core'
import { fileSecondsAt, playedRecipe } from '../../../session'
import { analysisOf } from '../know/analyses'
import { pool } from '../state/engine'
import { notify, tell } from '../state/notices'
import { selectedSource, store } from '../state/store'
import { soundOf } from './instruments'
import { addPicks, heardVariant } from './picks'

/** Suggestions: the moments of what is heard that differ most from each other. */

const { getState, setState } = store

export const SUGGESTING = 'suggesting picks'
let stop: AbortController | undefined

export async function suggestPicks(count: number, seconds: number) {
  const state = getState()
  const source = selectedSource(state)
  if (!source || stop) return
  const own = new AbortController()
  stop = own
  const variant = heardVariant(state, source)
  const show = (progress: number) =>
    setState((now) => ({ exports: { ...now.exports, [SUGGESTING]: { name: 'Looking for moments', progress } } }))
  show(0)
  try {
    const sound = await soundOf(source)
    const recipe = playedRecipe(source, variant)
    const analysis = await analysisOf(source, sound, recipe)
    const moments: readonly Moment[] = await pool.run<'moments'>(
      { kind: 'moments', sound, recipe, analysis, asked: { count, seconds } },
      { signal: own.signal, rank: 0, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
    )
    const at = (frame: number) => fileSecondsAt(source, variant, frame / sound.sampleRate)
    addPicks(
      source,
      moments.map(({ from, to, why }, n) => ({
        from: at(from),
        to: at(to),
        name: `${n + 1} ${why[0] ?? 'another'}`,
      })),
    )
    if (moments.length < count)
      notify({ tone: 'plain', text: `${moments.length} moments can be told apart without one over another.` })
  } catch (error) {
    if (!own.signal.aborted) tell(error)
  } finally {
    stop = undefined
    setState(({ exports: { [SUGGESTING]: _, ...others } }) => ({ exports: others }))
  }
}

export const cancelSuggesting = () => stop?.abort()
