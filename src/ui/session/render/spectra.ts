import { asSource, planOf, type Recipe, type Spectrogram } from '../../../core'
import { contentKey, partFacts, REFERENCE, recipeOf, type Source } from '../../../session'
import { heardSound } from '../hear/listening'
import { isKnown, knownSoFar } from '../know/analyses'
import { pool } from '../state/engine'
import { tell } from '../state/notices'
import { type State, selectedSource, store } from '../state/store'

/** What the lanes show of frequency: levels of the visible part, made as the view moves, while spectrograms are shown. */

const { getState, setState } = store

/** let a zoom settle, and let the ear go first */
const PAUSE_MS = 160
const COLUMNS = 900
/** window length for what is seen at once: the nearer, the shorter */
const WINDOWS = [
  { from: 2.5, fftFrames: 2048 },
  { from: 0.5, fftFrames: 1024 },
  { from: 0, fftFrames: 512 },
] as const

interface Order {
  readonly key: string
  /** source frames, end exclusive */
  readonly start: number
  readonly end: number
  readonly recipe: Recipe | undefined
  readonly fftFrames: number
}

const running = new Map<string, { readonly key: string; readonly stop: AbortController }>()

/** The lane by which pictures are kept: variants have ids of their own, references one for each source. */
export const pictureId = (source: Source, laneId: string) => (laneId === REFERENCE ? `${source.id} reference` : laneId)

function ordersOf(state: State, source: Source): Map<string, Order> {
  const orders = new Map<string, Order>()
  const facts = partFacts(source)
  if (!facts) return orders
  const view = state.outlook.views[source.id] ?? { start: 0, span: facts.frames }
  const start = Math.max(0, Math.floor(view.start))
  const end = Math.min(facts.frames, Math.ceil(view.start + view.span))
  const seconds = (end - start) / facts.sampleRate
  const { fftFrames } = WINDOWS.find(({ from }) => seconds >= from) ?? WINDOWS[0]
  const order = (laneId: string, recipe: Recipe | undefined) => {
    if (recipe && !isKnown(state, source, recipe)) return
    const key = contentKey(source, recipe ?? REFERENCE, start, end)
    orders.set(pictureId(source, laneId), { key, start, end, recipe, fftFrames })
  }
  order(REFERENCE, undefined)
  for (const variant of source.variants) order(variant.id, recipeOf(source, variant))
  return orders
}

/** Begin what is missing, stop what nobody looks at any more. */
export function syncSpectra(state: State) {
  const source = selectedSource(state)
  const shown = state.outlook.display.show === 'spectrogram' && state.outlook.view === 'bench'
  const orders = source && shown && heardSound(source) ? ordersOf(state, source) : new Map<string, Order>()
  for (const [id, job] of running) {
    if (orders.get(id)?.key === job.key) continue
    job.stop.abort()
    running.delete(id)
  }
  for (const [id, order] of orders) {
    if (running.has(id) || state.spectra[id]?.key === order.key) continue
    void make(source as Source, id, order)
  }
}

async function make(source: Source, id: string, { key, start, end, recipe, fftFrames }: Order) {
  const loaded = heardSound(source)
  if (!loaded) return
  const job = { key, stop: new AbortController() }
  running.set(id, job)
  await new Promise((resolve) => setTimeout(resolve, PAUSE_MS))
  if (job.stop.signal.aborted) return
  const { sound } = loaded.decoded
  const { map } = planOf(recipe ?? AS_IT_IS, sound)
  try {
    const picture = await pool.run<'spectrogram'>(
      {
        kind: 'spectrogram',
        sound,
        recipe,
        analysis: knownSoFar(getState(), source) ?? {},
        from: map.outputAt(asSource(start)),
        to: map.outputAt(asSource(end)),
        columns: COLUMNS,
        fftFrames,
      },
      { signal: job.stop.signal, rank: 2 },
    )
    setState((state) => ({ spectra: { ...state.spectra, [id]: { key, start, end, picture } } }))
  } catch (error) {
    if (!job.stop.signal.aborted) tell(error)
  } finally {
    if (running.get(id) === job) running.delete(id)
  }
}

const AS_IT_IS: Recipe = {
  version: 1,
  stretch: 1,
  pitchSemitones: 0,
  formants: 'move',
  methodId: 'splice',
  settings: {},
  seed: 1,
}

/** A small picture of what was tried, for a card; source frames. */
export function smallPicture(
  source: Source,
  recipe: Recipe,
  part: { readonly from: number; readonly to: number },
  signal: AbortSignal,
): Promise<Spectrogram> | undefined {
  const loaded = heardSound(source)
  if (!loaded) return undefined
  return pool.run<'spectrogram'>(
    {
      kind: 'spectrogram',
      sound: loaded.decoded.sound,
      recipe,
      analysis: knownSoFar(getState(), source) ?? {},
      from: part.from,
      to: part.to,
      columns: 160,
      fftFrames: 1024,
    },
    { signal, rank: 3 },
  )
}
