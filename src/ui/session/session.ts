import { kernelsRun } from '../../core'
import { clearScratch } from '../../engine'
import { firstOutlook, firstSession, type Outlook, startHistory } from '../../session'
import { openBatch } from './batch/batch'
import { syncOver } from './exporting/over'
import { openArrivals } from './files/arrivals'
import { openList } from './files/gather'
import { onPlayed, syncListening } from './hear/listening'
import { syncTurns } from './hear/places'
import { keepChanges, keeper, listAside, livesUnkept, onKept, openKept } from './keep/keeping'
import { createTabs } from './keep/tabs'
import { syncUnused } from './keep/unused'
import { syncKnowledge } from './know/knowledge'
import { syncInstruments } from './play/instruments'
import { roundBegun, roundNoted } from './play/rounds'
import { takeLed, takeNoted } from './play/takes'
import { syncRenders } from './render/renders'
import { syncSpectra } from './render/spectra'
import { setAccess } from './state/access'
import { notify, tell } from './state/notices'
import { type State, store } from './state/store'
import { syncMix } from './timeline/mixing'
import { syncSweeps } from './try/sweeps'

/**
 * Opens the session and lets storage, playback and renders follow it. Views draw what is in the store and call what
 * lies beside this file; nothing else changes either.
 */

const { getState, setState } = store

let started = false

const wantedTheme = (): Outlook['theme'] => (matchMedia('(prefers-color-scheme: light)').matches ? 'paper' : 'ink')

const tabs = createTabs({
  async onWrite() {
    // from where the other one left it
    await openAs('writes')
    await goOn()
  },
  onLost: () => watch(),
  async beforeHandingOver() {
    await keeper.close()
    watch()
  },
  onSaved: () => void follows(),
})

/** Write from this tab from now on; the one that did watches. */
export const takeOver = () => tabs.takeOver()

function watch() {
  void keeper.close()
  setAccess({ kind: 'watches' })
}

let following = false
let behind = false

/** Show what another tab has written, as often as it can be read. */
async function follows() {
  behind = true
  if (following) return
  following = true
  while (behind) {
    behind = false
    if (getState().access.kind === 'watches') await openAs('watches').catch(tell)
  }
  following = false
}

/** Show what lies in storage. What this tab looks at stays. */
async function openAs(kind: 'writes' | 'watches') {
  const first = !getState().ready
  const { session, outlook, newer, unwritten } = await openKept(wantedTheme(), kind === 'writes')
  if (newer !== undefined || kind === 'watches') await keeper.close()
  const { outlook: own } = getState()
  const selects = session.sources.some(({ id }) => id === own.selectedId) ? own.selectedId : session.sources[0]?.id
  setState({
    ready: true,
    access: newer !== undefined ? { kind: 'newer', version: newer } : { kind },
    history: startHistory(session),
    outlook: first ? outlook : { ...own, selectedId: selects },
  })
  if (!unwritten || kind === 'watches') return
  keeper.saveSession(session)
  keeper.saveOutlook(outlook)
}

/** What only the tab that writes does. */
async function goOn() {
  // what nothing may be added to takes in nothing that waits
  if (getState().access.kind === 'writes') await openArrivals().catch(tell)
  await openList().catch(tell)
  openBatch().catch(tell)
}

export async function start() {
  if (started) return
  started = true
  onKept({ saved: tabs.saved, overtaken: watch })
  const writes = await tabs.begin()
  try {
    await openAs(writes ? 'writes' : 'watches')
  } catch (error) {
    // nothing was read, so nothing may be written
    setState({ ready: true, history: startHistory(firstSession()), outlook: firstOutlook(wantedTheme()) })
    livesUnkept(error)
  }
  if (!kernelsRun())
    notify({
      tone: 'plain',
      text: 'This browser has no WebAssembly with SIMD, or may not use it here. Everything works, several times slower: another or a newer browser helps.',
    })
  onPlayed({
    noted(events) {
      takeNoted(events)
      roundNoted(events)
    },
    led: takeLed,
    round: roundBegun,
  })
  store.subscribe(follow)
  follow(getState(), undefined)
  if (getState().access.kind !== 'unkept') listAside().catch(tell)
  if (writes) void goOn()
  void clearScratch()
}

/** Whatever changed, let storage, playback and the renders follow. */
function follow(state: State, before: State | undefined) {
  keepChanges(state, before)
  syncUnused(state, before)
  syncTurns(state)
  syncOver(state, before)
  const elsewhere = state.outlook.selectedId !== before?.outlook.selectedId
  const changed = state.history.present !== before?.history.present
  if (
    !changed &&
    state.outlook === before?.outlook &&
    state.renders === before?.renders &&
    state.loads === before?.loads &&
    state.analyses === before?.analyses &&
    state.tried === before?.tried &&
    state.mixPlaying === before?.mixPlaying &&
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
  syncMix(state)
  syncInstruments(state)
  const turned = state.outlook.view !== before?.outlook.view
  if (changed || elsewhere || turned || state.analyses !== before?.analyses) syncRenders(state)
}
