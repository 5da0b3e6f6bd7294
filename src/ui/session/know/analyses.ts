import { type Analysis, type AnalysisNeed, needsOf, type Recipe } from '../../../core'
import type { Sound } from '../../../engine'
import { heldAnalysis, leadOf, partKey, type Source } from '../../../session'
import { pool } from '../state/engine'
import { tell } from '../state/notices'
import { type State, store } from '../state/store'

/** What is found out about a sound before methods that need it can render: in the background, once for each source. */

const { getState, setState } = store
const running = new Map<string, Promise<Analysis>>()

/** Methods are told what is so of the source that leads, where it is one of kin. */
const keyOf = (source: Source) => partKey(leadOf(getState().history.present.sources, source))

const missing = (analysis: Analysis, needs: readonly AnalysisNeed[]) => needs.filter((need) => !analysis[need])

/** Whether all that a recipe needs of its source is there. */
export function isKnown(state: State, source: Source, recipe: Recipe): boolean {
  return missing(state.analyses[keyOf(source)] ?? {}, needsOf(recipe)).length === 0
}

/** What is known so far, with what was corrected by hand. */
export function knownSoFar(state: State, source: Source): Analysis | undefined {
  const analysis = state.analyses[keyOf(source)]
  return analysis && heldAnalysis(source, analysis)
}

/** Attacks of a whole file that were found with all else that is known of it are not looked for again. */
function takeKnown(source: Source) {
  const { analyses, knowledge } = getState()
  const lead = leadOf(getState().history.present.sources, source)
  const key = keyOf(source)
  const attacks = knowledge[lead.id]?.attacks
  if (source.range || !attacks || analyses[key]?.attacks || running.has(key)) return
  setState((state) => ({ analyses: { ...state.analyses, [key]: { ...state.analyses[key], attacks } } }))
}

/** Begin to find out what these recipes need and nobody has found out yet; all at once for each source. */
export function syncAnalysis(source: Source, sound: Sound, recipes: readonly Recipe[], rank = 1) {
  const key = keyOf(source)
  takeKnown(source)
  const needs = [...new Set<AnalysisNeed>(recipes.flatMap(needsOf))]
  const lacking = missing(getState().analyses[key] ?? {}, needs)
  if (lacking.length > 0 && !running.has(key)) void find(key, sound, lacking, rank).catch(tell)
}

/** The analysis of a source, with all that a recipe needs. */
export async function analysisOf(source: Source, sound: Sound, recipe: Recipe): Promise<Analysis> {
  const key = keyOf(source)
  for (;;) {
    const known = getState().analyses[key] ?? {}
    const lacking = missing(known, needsOf(recipe))
    if (lacking.length === 0) return heldAnalysis(source, known)
    await (running.get(key) ?? find(key, sound, lacking))
  }
}

function find(key: string, sound: Sound, needs: readonly AnalysisNeed[], rank = 1): Promise<Analysis> {
  const known = getState().analyses[key] ?? {}
  const show = (progress: number | undefined) =>
    setState(({ analysing: { [key]: _, ...others } }) => ({
      analysing: progress === undefined ? others : { ...others, [key]: progress },
    }))
  show(0)
  // neither waits for the other
  const shares = needs.map(() => 0)
  const finding = Promise.all(
    needs.map((need, n) =>
      pool.run<'analyse'>(
        { kind: 'analyse', sound, needs: [need], known },
        {
          rank,
          onProgress: ({ doneFrames, totalFrames }) => {
            shares[n] = doneFrames / totalFrames
            show(Math.min(...shares))
          },
        },
      ),
    ),
  ).then((found): Analysis => Object.assign({}, ...found))
  running.set(key, finding)
  return finding
    .finally(() => {
      running.delete(key)
      show(undefined)
    })
    .then((analysis) => {
      setState((state) => ({ analyses: { ...state.analyses, [key]: analysis } }))
      return analysis
    })
}
