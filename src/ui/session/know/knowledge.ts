import { knowledgeOf as joined, type Knowledge } from '../../../core'
import { amend, type Found, firstVariants, hasUntouchedLanes, readKnowledge, type Source } from '../../../session'
import { isRead, staysInFile } from '../files/audioShelf'
import { demoFacts, demoKnowledge } from '../files/demo'
import { knowledgeRows, pool, shelf } from '../state/engine'
import { rememberFacts, setFacts } from '../state/loading'
import { tell } from '../state/notices'
import { type State, store } from '../state/store'

/** Finds out what there is to know of every source, once for each file: in the background, the selected source first. */

const { getState, setState } = store
const asked = new Set<string>()

export const knowledgeOf = (state: State, source: Pick<Source, 'id'>): Found => state.knowledge[source.id]

export function syncKnowledge(state: State) {
  const { sources } = state.history.present
  const selected = sources.find(({ id }) => id === state.outlook.selectedId)
  for (const source of selected ? [selected, ...sources] : sources) {
    if (asked.has(source.id)) continue
    asked.add(source.id)
    void findOut(source, source === selected ? 2 : 5)
  }
}

async function findOut(source: Source, rank: number) {
  const set = (knowledge: Knowledge | null) => {
    setState((state) => ({ knowledge: { ...state.knowledge, [source.id]: knowledge } }))
    if (knowledge) chooseLanes(source.id, knowledge)
  }
  set(null)
  try {
    const known =
      source.origin === 'demo'
        ? await demoKnowledge(source)
        : source.facts?.hash
          ? await kept(source.facts.hash)
          : undefined
    if (known) {
      set(known)
      if (source.facts) return
      const facts = await demoFacts(source)
      if (facts) setFacts(source.id, facts)
      else rememberFacts(source.id, await shelf.get(source, rank))
      return
    }
    const { hash, sound, taggedBpm } = await soundOf(source, rank)
    const again = await kept(hash)
    if (again) {
      set(again)
      return
    }
    const options = { file: source.file, ...(taggedBpm !== undefined && { taggedBpm }) }
    // the slower of the two halves says how far it is
    const shares = [0, 0]
    const heard = (half: 0 | 1) => ({
      rank: rank + 1,
      onProgress: ({ doneFrames, totalFrames }: { doneFrames: number; totalFrames: number }) => {
        shares[half] = doneFrames / Math.max(1, totalFrames)
        setState((state) => ({ listened: { ...state.listened, [source.id]: Math.min(...shares) } }))
      },
    })
    const [rhythm, tones] = await Promise.all([
      pool.run<'knowRhythm'>({ kind: 'knowRhythm', sound, options }, heard(0)),
      pool.run<'knowTones'>({ kind: 'knowTones', sound }, heard(1)),
    ]).finally(() => setState(({ listened: { [source.id]: _, ...others } }) => ({ listened: others })))
    const knowledge = joined(rhythm, tones)
    set(knowledge)
    knowledgeRows.put(hash, knowledge).catch(tell)
  } catch (error) {
    // a file that cannot be read says so where it is opened, and is asked for again from there
    if (getState().knowledge[source.id]) tell(error)
    else setState(({ knowledge: { [source.id]: _, ...others } }) => ({ knowledge: others }))
  }
}

/** A long sound that is not looked at need not lie in memory, where all else is written down. */
async function soundOf(source: Source, rank: number) {
  const { facts } = source
  const isLooked = getState().outlook.selectedId === source.id
  const size = facts && { frames: facts.frames, channelCount: facts.channels }
  if (facts?.hash !== undefined && size && isRead(source) && !isLooked && staysInFile(facts.container, size))
    return {
      hash: facts.hash,
      sound: await shelf.openWhole(source, rank),
      taggedBpm: await shelf.taggedTempo(source, rank),
    }
  const loaded = await shelf.get(source, rank)
  rememberFacts(source.id, loaded)
  return { hash: loaded.hash, sound: loaded.decoded.sound, taggedBpm: loaded.taggedBpm }
}

/** Lanes that nobody touched yet become those of the kind. That was found out, so it is no step of undo. */
function chooseLanes(sourceId: string, { material }: Knowledge) {
  if (material.kind === 'unsure' || getState().access.kind !== 'writes') return
  setState((state) => ({
    history: amend(state.history, (session) => {
      const source = session.sources.find(({ id }) => id === sourceId)
      if (source && hasUntouchedLanes(source)) source.variants = firstVariants(sourceId, material.kind)
    }),
  }))
}

/** What was found out about a file before; undefined where it was not, or by an older version. */
async function kept(hash: string): Promise<Knowledge | undefined> {
  return readKnowledge(await knowledgeRows.get(hash).catch(() => undefined))
}

/** Try again for a source that could not be read. */
export function askAgain(source: Source) {
  asked.delete(source.id)
}

/** What a listed file already told is not found out again when it is taken in. */
export function alreadyKnown(sourceId: string, hash: string, knowledge: Knowledge) {
  asked.add(sourceId)
  setState((state) => ({ knowledge: { ...state.knowledge, [sourceId]: knowledge } }))
  chooseLanes(sourceId, knowledge)
  knowledgeRows.put(hash, knowledge).catch(tell)
}
