import { z } from 'zod'
import { kernelsRun } from '../../core'
import { clearScratch } from '../../engine'
import {
  firstOutlook,
  firstSession,
  type Outlook,
  outlookSchema,
  type Session,
  sessionSchema,
  startHistory,
} from '../../session'
import { createSessionKeeper } from '../../storage'
import { openList } from './files/gather'
import { syncListening } from './hear/listening'
import { syncTurns } from './hear/places'
import { syncKnowledge } from './know/knowledge'
import { syncRenders } from './render/renders'
import { syncSpectra } from './render/spectra'
import { database, files } from './state/engine'
import { notify, tell } from './state/notices'
import { type State, store } from './state/store'
import { syncSweeps } from './try/sweeps'

/**
 * Opens the session and lets storage, playback and renders follow it. Views draw what is in the store and call what
 * lies beside this file; nothing else changes either.
 */

const keeper = createSessionKeeper<{ session: Session; outlook: Outlook }>(database, tell, () => Date.now())
const { getState, setState } = store

let started = false

export async function start() {
  if (started) return
  started = true
  const wanted = matchMedia('(prefers-color-scheme: light)').matches ? 'paper' : 'ink'
  let session = firstSession()
  let outlook = firstOutlook(wanted)
  try {
    const kept = await keeper.load()
    if (kept !== undefined) {
      const read = z.object({ session: sessionSchema, outlook: outlookSchema }).safeParse(kept)
      if (read.success) ({ session, outlook } = read.data)
      else
        notify({
          tone: 'trouble',
          text: 'The last session was written by another version and could not be read. This is a new one.',
        })
    }
    await files.keepOnly(session.sources.map((source) => source.id))
  } catch (error) {
    tell(error)
  }
  if (!kernelsRun())
    notify({
      tone: 'plain',
      text: 'This browser has no WebAssembly with SIMD, or may not use it here. Everything works, several times slower: another or a newer browser helps.',
    })
  setState({ ready: true, history: startHistory(session), outlook })
  store.subscribe(follow)
  follow(getState(), undefined)
  openList().catch(tell)
  void clearScratch()
}

/** Whatever changed, let storage, playback and the renders follow. */
function follow(state: State, before: State | undefined) {
  if (state.history.present !== before?.history.present || state.outlook !== before?.outlook) {
    keeper.save({ session: state.history.present, outlook: state.outlook })
  }
  syncTurns(state)
  const elsewhere = state.outlook.selectedId !== before?.outlook.selectedId
  const changed = state.history.present !== before?.history.present
  if (
    !changed &&
    state.outlook === before?.outlook &&
    state.renders === before?.renders &&
    state.loads === before?.loads &&
    state.analyses === before?.analyses &&
    state.tried === before?.tried &&
    state.knowledge === before?.knowledge
  )
    return
  syncListening(state, () => {
    syncListening(getState(), () => {})
    syncRenders(getState())
  })
  if (changed || elsewhere) syncKnowledge(state)
  if (changed || elsewhere || state.loads !== before?.loads) syncSweeps(state)
  syncSpectra(state)
  if (changed || elsewhere || state.analyses !== before?.analyses) syncRenders(state)
}
