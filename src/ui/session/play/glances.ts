import { TWINS_DB, timbreDistance } from '../../../core'
import type { Glance } from '../../../engine'
import { contentKey, type PickMark, pickSpan, playedRecipe, type Source } from '../../../session'
import { analysisOf } from '../know/analyses'
import { pool } from '../state/engine'
import { type State, store } from '../state/store'
import { soundOf } from './instruments'

/** How picks look and sound, found out in the background; and which of them are near twins. */

const { setState } = store
const running = new Set<string>()

export function glanceKey(source: Source, pick: PickMark): string {
  const { from, to, variant } = pick
  return contentKey(source, 'glance', playedRecipe(source, variant), from, to)
}

/** Begin to look at picks that nobody has looked at. */
export function syncGlances(state: State) {
  const { picks, sources } = state.history.present
  for (const pick of picks) {
    const source = sources.find(({ id }) => id === pick.source)
    if (!source?.facts) continue
    const key = glanceKey(source, pick)
    if (state.glances[key] || running.has(key)) continue
    running.add(key)
    void look(source, pick, key)
  }
}

async function look(source: Source, pick: PickMark, key: string) {
  try {
    const span = pickSpan(source, pick)
    if (!span) return
    const sound = await soundOf(source)
    const recipe = playedRecipe(source, pick.variant)
    const analysis = await analysisOf(source, sound, recipe)
    const [from, to] = [span.from, span.to].map((seconds) => Math.round(seconds * sound.sampleRate)) as [number, number]
    const glance: Glance = await pool.run<'glance'>(
      { kind: 'glance', sound, recipe, analysis, from, to: Math.max(from + 1, to) },
      { rank: 2 },
    )
    setState(({ glances }) => ({ glances: { ...glances, [key]: glance } }))
  } catch {
    // it is asked for again when something changes; what cannot be read is told where it is opened
  } finally {
    running.delete(key)
  }
}

/** What is known of a pick: how it looks and sounds, and the one that it is a near twin of. */
export interface PickLook {
  readonly glance: Glance | undefined
  readonly twin: PickMark | undefined
}

/** What is known of all picks, by their ids. */
export function looksOf(
  picks: readonly PickMark[],
  sources: readonly Source[],
  glances: State['glances'],
): ReadonlyMap<string, PickLook> {
  const known = picks.map((pick) => {
    const source = sources.find(({ id }) => id === pick.source)
    return { pick, glance: source && glances[glanceKey(source, pick)] }
  })
  return new Map(known.map(({ pick, glance }) => [pick.id, { glance, twin: glance && twinOf(pick, glance, known) }]))
}

function twinOf(
  pick: PickMark,
  { timbre }: Glance,
  all: readonly { readonly pick: PickMark; readonly glance: Glance | undefined }[],
): PickMark | undefined {
  let best: { pick: PickMark; away: number } | undefined
  for (const { pick: other, glance } of all) {
    if (other === pick || !glance) continue
    const away = timbreDistance(timbre, glance.timbre)
    if (away < Math.min(TWINS_DB, best?.away ?? TWINS_DB)) best = { pick: other, away }
  }
  return best?.pick
}
