import { AppError, mapOf, methodById, resultName, type SampleFormat } from '../../core'
import { createPlayback, createWorkerPool, type Program } from '../../engine'
import { errorText } from '../../host/errorText'
import { createFileKeeper, createSessionKeeper, openDatabase } from '../../storage'
import { createAudioShelf, type LoadedSound } from './audioShelf'
import { amend, change, redo as redoStep, startHistory, undo as undoStep } from './history'
import { matchedGains } from './matching'
import {
  firstOutlook,
  firstSession,
  freeLetter,
  keptSchema,
  MAX_VARIANTS,
  newSource,
  newVariant,
  type Outlook,
  PLAIN_TARGET,
  REFERENCE,
  recipeOf,
  type Session,
  type Source,
  type Target,
  type Variant,
} from './model'
import { activeLane, type Notice, type RenderState, type State, selectedSource, store } from './store'

/**
 * Joins storage, workers and playback to the state that the views show. Views call what is here and draw what is in the
 * store; nothing else changes either.
 */

const RENDER_PAUSE_MS = 140
/** longer results are drawn only when asked for */
const RENDER_UNASKED_SECONDS = 20 * 60
const SHORTEST_LOOP_SECONDS = 0.01

const { getState, setState } = store
const database = openDatabase()
const keeper = createSessionKeeper<{ session: Session; outlook: Outlook }>(database, tell, () => Date.now())
const files = createFileKeeper(database)
const pool = createWorkerPool()
const shelf = createAudioShelf(pool, files.get)
export const playback = createPlayback({
  onPlaying: (playing) => {
    setState({ playing })
    if (!playing) keepPlace(playback.sourceFrame())
  },
  onError: tell,
})

// what really went out, for whoever wants to prove it from outside the page: tests, and a look from the console
Object.assign(globalThis, {
  zumbetOutput: { heard: playback.heard, underruns: playback.underruns, latencyMs: playback.latencyMs },
})

let nextNotice = 1
/** the sound of the selected source, once it is there */
let heard: { id: string; sound: LoadedSound } | undefined
const renderJobs = new Map<string, { key: string; stop: AbortController }>()
const exportJobs = new Map<string, AbortController>()

// ---- starting up ---------------------------------------------------------------------------------------------------

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
      const read = keptSchema.safeParse(kept)
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
  setState({ ready: true, history: startHistory(session), outlook })
  store.subscribe(follow)
  follow(getState(), undefined)
  for (const source of session.sources) if (!source.facts) void learn(source)
}

/** Find out length and kind of a source that was never read. */
async function learn(source: Source) {
  try {
    rememberFacts(source.id, await shelf.get(source, 5))
  } catch {
    // selecting it will say why
  }
}

function rememberFacts(sourceId: string, { decoded, facts }: LoadedSound) {
  setState((state) => ({
    history: amend(state.history, (draft) => {
      const source = draft.sources.find((s) => s.id === sourceId)
      if (!source || source.facts) return
      source.facts = {
        frames: facts.frames,
        sampleRate: decoded.audio.sampleRate,
        channels: decoded.audio.channels.length,
        container: decoded.container,
        ...(decoded.depth && { depth: decoded.depth }),
        peak: facts.peak,
      }
    }),
  }))
}

/** Whatever changed, let storage, playback and the renders follow. */
function follow(state: State, before: State | undefined) {
  if (state.history.present !== before?.history.present || state.outlook !== before?.outlook) {
    keeper.save({ session: state.history.present, outlook: state.outlook })
  }
  const source = selectedSource(state)
  if (source?.id !== heard?.id) {
    heard = undefined
    playback.setSource(undefined)
    if (source) void listenTo(source)
  }
  syncProgram(state)
  if (state.history !== before?.history || state.outlook.selectedId !== before?.outlook.selectedId) syncRenders(state)
}

async function listenTo(source: Source) {
  const { id } = source
  if (getState().loads[id]?.status === 'loading') return
  setLoad(id, { status: 'loading' })
  try {
    const sound = await shelf.get(source)
    setLoad(id, { status: 'ready', facts: sound.facts })
    rememberFacts(id, sound)
    if (getState().outlook.selectedId !== id) return
    heard = { id, sound }
    playback.setSource(sound.decoded.audio, getState().outlook.places[id] ?? 0)
    syncProgram(getState())
    syncRenders(getState())
  } catch (error) {
    setLoad(id, { status: 'failed', error })
  }
}

function setLoad(id: string, load: State['loads'][string]) {
  setState((state) => ({ loads: { ...state.loads, [id]: load } }))
}

export function loadAgain(source: Source) {
  setState((state) => ({ loads: Object.fromEntries(Object.entries(state.loads).filter(([id]) => id !== source.id)) }))
  void listenTo(source)
}

// ---- what is heard -------------------------------------------------------------------------------------------------

let sentProgram = ''

function syncProgram(state: State) {
  const source = selectedSource(state)
  if (!source || heard?.id !== source.id) {
    sentProgram = ''
    return
  }
  const gains = laneGains(state, source)
  const lane = activeLane(state, source)
  const program: Program = {
    lanes: [
      { recipe: undefined, gain: gains[0] as number },
      ...source.variants.map((variant, i) => ({ recipe: recipeOf(source, variant), gain: gains[i + 1] as number })),
    ],
    active: 1 + source.variants.findIndex((variant) => variant.id === lane),
    loop: state.outlook.looping ? (source.selection ?? { start: 0, end: heard.sound.facts.frames }) : undefined,
  }
  const text = `${source.id} ${JSON.stringify(program)}`
  if (text === sentProgram) return
  sentProgram = text
  playback.setProgram(program)
}

/** Gains of the reference and the variants, in lane order. */
export function laneGains(state: State, source: Source): number[] {
  if (!state.outlook.matched) return [1, ...source.variants.map(() => 1)]
  return matchedGains(
    state.loads[source.id]?.facts,
    source.variants.map((variant) => state.renders[variant.id]?.facts),
  )
}

export function togglePlay() {
  if (playback.playing) {
    playback.stop()
    return
  }
  const source = selectedSource(getState())
  if (!source || !heard) return
  const { frames } = heard.sound.facts
  let from = playback.sourceFrame()
  const { selection } = source
  if (getState().outlook.looping && selection && (from < selection.start || from >= selection.end))
    from = selection.start
  if (from >= frames - 1) from = 0
  void playback.play(from)
}

export function seek(sourceFrame: number) {
  const frames = heard?.sound.facts.frames ?? 0
  const frame = Math.max(0, Math.min(frames - 1, sourceFrame))
  playback.seek(frame)
  keepPlace(frame)
}

function keepPlace(frame: number) {
  const { selectedId } = getState().outlook
  if (selectedId === undefined || !getState().ready) return
  setOutlook((outlook) => ({ places: { ...outlook.places, [selectedId]: Math.round(frame) } }))
}

/** Lane 0 is the reference, 1… the variants in the order on screen. */
export function hearLane(index: number) {
  const source = selectedSource(getState())
  if (!source) return
  const variant = source.variants[index - 1]
  if (index > 0 && !variant) return
  setOutlook((outlook) => {
    const chosen = variant?.id ?? outlook.lanes[source.id]?.chosen
    const lane = { active: variant?.id ?? REFERENCE, ...(chosen !== undefined && { chosen }) }
    return { lanes: { ...outlook.lanes, [source.id]: lane } }
  })
}

export function setOutlook(next: Partial<Outlook> | ((outlook: Outlook) => Partial<Outlook>)) {
  setState(({ outlook }) => ({ outlook: { ...outlook, ...(typeof next === 'function' ? next(outlook) : next) } }))
}

// ---- edits ---------------------------------------------------------------------------------------------------------

export function edit(label: string, recipe: (session: Session) => void, gesture?: string) {
  setState((state) => ({ history: change(state.history, label, recipe, gesture) }))
}

function editSource(sourceId: string, label: string, recipe: (source: Source) => void, gesture?: string) {
  edit(
    label,
    (session) => {
      const source = session.sources.find((s) => s.id === sourceId)
      if (source) recipe(source)
    },
    gesture,
  )
}

function editVariant(
  source: Source,
  variantId: string,
  label: string,
  recipe: (variant: Variant) => void,
  gesture?: string,
) {
  editSource(
    source.id,
    label,
    (draft) => {
      const variant = draft.variants.find((v) => v.id === variantId)
      if (variant) recipe(variant)
    },
    gesture,
  )
}

export function undo() {
  setState((state) => ({ history: undoStep(state.history) }))
}

export function redo() {
  setState((state) => ({ history: redoStep(state.history) }))
}

export function selectSource(id: string) {
  if (getState().outlook.selectedId === id) return
  if (playback.playing) playback.stop()
  setOutlook({ selectedId: id })
}

export function rename(sourceId: string, name: string) {
  const clean = name.trim()
  if (clean)
    editSource(sourceId, 'Rename', (source) => {
      source.name = clean
    })
}

export function removeSource(sourceId: string) {
  const { sources } = getState().history.present
  const at = sources.findIndex((source) => source.id === sourceId)
  const source = sources[at]
  if (!source) return
  if (getState().outlook.selectedId === sourceId) {
    if (playback.playing) playback.stop()
    const neighbour = sources[at + 1] ?? sources[at - 1]
    setOutlook({ selectedId: neighbour?.id })
  }
  edit(`Remove ${source.name}`, (session) => {
    session.sources.splice(at, 1)
  })
  notify({ tone: 'plain', text: `${source.name} removed`, undo: true })
}

export function setTarget(sourceId: string, part: Partial<Target>, gesture?: string) {
  editSource(
    sourceId,
    'Target',
    (source) => {
      Object.assign(source.target, part)
    },
    gesture,
  )
}

export function resetTarget(sourceId: string) {
  editSource(sourceId, 'Reset target', (source) => {
    source.target = { ...PLAIN_TARGET, sourceBpm: source.target.sourceBpm }
  })
}

export function setSelection(sourceId: string, selection: Source['selection'], gesture?: string) {
  const facts = getState().history.present.sources.find((s) => s.id === sourceId)?.facts
  if (!facts) return
  editSource(
    sourceId,
    'Selection',
    (source) => {
      if (!selection) {
        delete source.selection
        return
      }
      const shortest = Math.ceil(SHORTEST_LOOP_SECONDS * facts.sampleRate)
      const start = Math.max(0, Math.min(Math.round(selection.start), facts.frames - shortest))
      source.selection = { start, end: Math.min(facts.frames, Math.max(Math.round(selection.end), start + shortest)) }
    },
    gesture,
  )
}

export function addVariant(source: Source, methodId: string) {
  placeVariant(source, newVariant(crypto.randomUUID(), freeLetter(source.variants), methodId), 'Add variant')
}

export function copyVariant(source: Source, variant: Variant) {
  placeVariant(source, { ...variant, id: crypto.randomUUID(), letter: freeLetter(source.variants) }, 'Copy variant')
}

function placeVariant(source: Source, variant: Variant, label: string) {
  if (source.variants.length >= MAX_VARIANTS) return
  const after = source.variants.findIndex((v) => v.letter > variant.letter)
  const at = after < 0 ? source.variants.length : after
  editSource(source.id, label, (draft) => {
    draft.variants.splice(at, 0, variant)
  })
  hearLane(at + 1)
}

export function removeVariant(source: Source, variant: Variant) {
  editSource(source.id, `Remove ${variant.letter}`, (draft) => {
    draft.variants = draft.variants.filter((v) => v.id !== variant.id)
  })
  notify({ tone: 'plain', text: `Variant ${variant.letter} removed`, undo: true })
}

export function setMethod(source: Source, variant: Variant, methodId: string) {
  editVariant(source, variant.id, 'Method', (draft) => {
    draft.methodId = methodId
  })
}

export function setSetting(
  source: Source,
  variant: Variant,
  name: string,
  value: number | string | undefined,
  gesture?: string,
) {
  editVariant(
    source,
    variant.id,
    'Setting',
    (draft) => {
      const own = { ...draft.settings[draft.methodId] }
      if (value === undefined || value === methodById(draft.methodId).settings[name]?.default) delete own[name]
      else own[name] = value
      draft.settings[draft.methodId] = own
    },
    gesture,
  )
}

export function setSeed(source: Source, variant: Variant, seed: number, gesture?: string) {
  editVariant(
    source,
    variant.id,
    'Seed',
    (draft) => {
      draft.seed = seed
    },
    gesture,
  )
}

// ---- bringing sounds in --------------------------------------------------------------------------------------------

export async function bringIn(list: readonly File[]) {
  const gesture = crypto.randomUUID()
  const arriving = list.map((file) => ({ id: crypto.randomUUID(), file }))
  setState((state) => ({ arrivals: [...state.arrivals, ...arriving.map(({ id, file }) => ({ id, file: file.name }))] }))
  let first = true
  await Promise.all(
    arriving.map(async ({ id, file }) => {
      try {
        const bytes = await file.arrayBuffer()
        const kept = new Blob([bytes])
        const sound = await pool.run<'decode'>({ kind: 'decode', bytes, file: file.name })
        await files.put(id, file.name, kept)
        shelf.put(id, sound)
        const source = newSource({
          id,
          name: file.name.replace(/\.[^.]+$/, '') || file.name,
          file: file.name,
          origin: 'file',
        })
        edit(
          `Bring in ${file.name}`,
          (session) => {
            session.sources.push(source)
          },
          gesture,
        )
        rememberFacts(id, sound)
        for (const warning of sound.decoded.warnings) tell(new AppError(warning.code, warning.details))
        if (first) {
          first = false
          selectSource(id)
        }
      } catch (error) {
        tell(error)
      } finally {
        setState((state) => ({ arrivals: state.arrivals.filter((arrival) => arrival.id !== id) }))
      }
    }),
  )
}

// ---- renders -------------------------------------------------------------------------------------------------------

function syncRenders(state: State) {
  const source = selectedSource(state)
  const wanted = new Map<string, string>()
  if (source && heard?.id === source.id) {
    for (const variant of source.variants) wanted.set(variant.id, JSON.stringify(recipeOf(source, variant)))
  }
  for (const [id, job] of renderJobs) {
    if (wanted.get(id) !== job.key) {
      job.stop.abort()
      renderJobs.delete(id)
    }
  }
  for (const [id, key] of wanted) {
    if (state.renders[id]?.key === key && (renderJobs.has(id) || state.renders[id]?.status !== 'waiting')) continue
    beginRender(id, key, RENDER_PAUSE_MS)
  }
}

function beginRender(variantId: string, key: string, pauseMs: number, asked = false) {
  const source = selectedSource(getState())
  const variant = source?.variants.find((v) => v.id === variantId)
  const sound = heard?.sound
  if (!source || !variant || !sound) return
  renderJobs.get(variantId)?.stop.abort()
  const recipe = recipeOf(source, variant)
  const { audio } = sound.decoded
  const { map, stretch } = mapOf(recipe, sound.facts.frames)
  if (!asked && map.outputFrames > RENDER_UNASKED_SECONDS * audio.sampleRate) {
    setRender(variantId, { key, status: 'held', progress: 0 })
    return
  }
  const job = { key, stop: new AbortController() }
  renderJobs.set(variantId, job)
  setRender(variantId, { key, status: 'waiting', progress: 0 })
  setTimeout(async () => {
    if (job.stop.signal.aborted) return
    const current = () => renderJobs.get(variantId) === job
    try {
      const facts = await pool.run<'render'>(
        { kind: 'render', audio, recipe },
        {
          signal: job.stop.signal,
          rank: activeLane(getState(), source) === variantId ? 1 : 2,
          onProgress: ({ doneFrames, totalFrames }) => {
            if (current()) setRender(variantId, { key, status: 'running', progress: doneFrames / totalFrames })
          },
        },
      )
      if (current()) setRender(variantId, { key, status: 'done', progress: 1, facts, factsStretch: stretch })
    } catch (error) {
      if (current())
        setRender(variantId, { key, status: job.stop.signal.aborted ? 'cancelled' : 'failed', progress: 0, error })
    } finally {
      if (current()) renderJobs.delete(variantId)
    }
  }, pauseMs)
}

/** Set how a render stands; what was last drawn stays until there is something new. */
function setRender(variantId: string, render: RenderState) {
  setState((state) => {
    const { facts, factsStretch } = state.renders[variantId] ?? {}
    const kept = facts && factsStretch !== undefined ? { facts, factsStretch } : {}
    return { renders: { ...state.renders, [variantId]: { ...kept, ...render } } }
  })
}

export function cancelRender(variantId: string) {
  const job = renderJobs.get(variantId)
  if (!job) return
  renderJobs.delete(variantId)
  job.stop.abort()
  setRender(variantId, { key: job.key, status: 'cancelled', progress: 0 })
}

export function renderNow(source: Source, variant: Variant) {
  beginRender(variant.id, JSON.stringify(recipeOf(source, variant)), 0, true)
}

// ---- taking away ---------------------------------------------------------------------------------------------------

export async function exportVariant(source: Source, variant: Variant, format: SampleFormat) {
  const sound = heard?.id === source.id ? heard.sound : undefined
  if (!sound || exportJobs.has(variant.id)) return
  const recipe = recipeOf(source, variant)
  const name = resultName(source.name, recipe)
  const stop = new AbortController()
  exportJobs.set(variant.id, stop)
  const show = (progress: number) =>
    setState((state) => ({ exports: { ...state.exports, [variant.id]: { name, progress } } }))
  show(0)
  try {
    const { decoded } = sound
    const sourceBits = decoded.depth?.float ? undefined : decoded.depth?.bits
    const { blob, facts } = await pool.run<'export'>(
      { kind: 'export', audio: decoded.audio, order: { recipe, format, markers: decoded.markers, sourceBits } },
      { signal: stop.signal, rank: 0, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
    )
    download(blob, name)
    notify({ tone: 'plain', text: `${name} exported, ${(facts.frames / decoded.audio.sampleRate).toFixed(3)} s` })
    if (facts.clippedSamples > 0) {
      notify({
        tone: 'trouble',
        text: `${facts.clippedSamples} samples of ${name} were over full scale and were limited. 32-bit float keeps them.`,
      })
    }
  } catch (error) {
    if (!stop.signal.aborted) tell(error)
  } finally {
    exportJobs.delete(variant.id)
    setState((state) => ({
      exports: Object.fromEntries(Object.entries(state.exports).filter(([id]) => id !== variant.id)),
    }))
  }
}

export function cancelExport(variantId: string) {
  exportJobs.get(variantId)?.abort()
}

function download(blob: Blob, name: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 60_000)
}

// ---- telling -------------------------------------------------------------------------------------------------------

export function notify(notice: Omit<Notice, 'id'>) {
  setState((state) => ({ notices: [...state.notices, { ...notice, id: nextNotice++ }] }))
}

export function dismiss(id: number) {
  setState((state) => ({ notices: state.notices.filter((notice) => notice.id !== id) }))
}

function tell(error: unknown) {
  notify({ tone: 'trouble', text: errorText(error) })
}
