import { AppError, containers, wavRate } from '../../../core'
import { scratchFolder } from '../../../engine'
import { errorText } from '../../../host/errorText'
import { type ExportSettings, recipeText } from '../../../session'
import { pool } from '../state/engine'
import { notify, tell } from '../state/notices'
import { type QueuedFile, store } from '../state/store'
import { type Draft, makeDraft } from './drafts'
import { type Item, tickedItems } from './items'
import { chooseFolder, type Place, saveTo, zipPlace } from './places'

/** Files that are to be made, one after another, and those that are. */

const { getState, setState } = store

interface Waiting {
  readonly item: Item
  readonly place: Place
  readonly stop: AbortController
  /** whether what came of it is told at once: it was asked for where the queue is not seen */
  readonly isTold: boolean
}
const waiting = new Map<string, Waiting>()
let count = 0
let isRunning = false

/** YYYY-MM-DD */
export const today = () => new Date().toISOString().slice(0, 10)

const change = (id: string, next: Partial<QueuedFile>) =>
  setState(({ queue }) => ({ queue: queue.map((file) => (file.id === id ? { ...file, ...next } : file)) }))

/** Put all that is ticked into the queue, as the settings say now. */
export async function exportTicked() {
  const state = getState()
  const { settings } = state.outlook.exporting
  const all = tickedItems(state, today())
  if (all.length === 0) return
  try {
    const place =
      settings.to === 'folder' ? await chooseFolder() : settings.to === 'zip' ? zipPlace(all.length) : undefined
    if (settings.to === 'folder' && !place) return
    enqueue(all, settings, place ?? { kind: 'downloads' })
  } catch (error) {
    tell(error)
  }
}

export function enqueue(
  files: readonly { readonly item: Item; readonly name: string }[],
  settings: ExportSettings,
  place: Place,
  { isTold = false } = {},
) {
  const own = files.map(({ item, name }): QueuedFile => {
    const id = `file ${++count}`
    waiting.set(id, { item, place, stop: new AbortController(), isTold })
    return { id, key: item.key, name, settings, status: 'waiting', progress: 0 }
  })
  setState(({ queue }) => ({ queue: [...queue, ...own] }))
  void run()
  return own.map(({ id }) => id)
}

/** Ends when a file is made, has failed, or was given up. */
export const settled = (id: string) =>
  new Promise<void>((resolve) => {
    const isSettled = ({ queue }: { queue: readonly QueuedFile[] }) =>
      !queue.some((file) => file.id === id && (file.status === 'waiting' || file.status === 'running'))
    if (isSettled(getState())) return resolve()
    const stop = store.subscribe((state) => {
      if (!isSettled(state)) return
      stop()
      resolve()
    })
  })

/** Take a file off the list for a newer one of the same name; one that is being made is ended as it is. */
export function giveWay(id: string) {
  const file = getState().queue.find((one) => one.id === id)
  if (!file || file.status === 'running') return
  waiting.delete(id)
  setState(({ queue }) => ({ queue: queue.filter((one) => one.id !== id) }))
}

async function run() {
  if (isRunning) return
  isRunning = true
  try {
    for (;;) {
      const next = getState().queue.find(({ status }) => status === 'waiting')
      if (!next) break
      await make(next)
    }
  } finally {
    isRunning = false
  }
}

async function make(file: QueuedFile) {
  const { id, name, settings } = file
  const own = waiting.get(id)
  if (!own) return change(id, { status: 'cancelled' })
  const { signal } = own.stop
  const show = (progress: number) => change(id, { progress })
  change(id, { status: 'running', progress: 0 })
  try {
    const draft = await makeDraft(own.item, { settings, today: today(), signal, show: (share) => show(0.7 * share) })
    const made = await delivered(name, draft, signal, (share) => show(0.7 + 0.3 * share))
    signal.throwIfAborted()
    const recipe = draft.recipe && recipeText(draft.recipe)
    const place = await saveTo(own.place, [
      { name, blob: made.blob },
      ...(recipe === undefined
        ? []
        : [{ name: `${name}.json`, blob: new Blob([recipe], { type: 'application/json' }) }]),
    ])
    change(id, { status: 'done', progress: 1, made: { ...made, place, ...(recipe !== undefined && { recipe }) } })
    if (own.isTold) {
      notify({ tone: 'plain', text: `${name} exported, ${made.seconds.toFixed(3)} s` })
      for (const doubt of made.doubts) notify({ tone: 'trouble', text: `${name}: ${doubt}.` })
    }
  } catch (error) {
    if (signal.aborted) change(id, { status: 'cancelled' })
    else {
      change(id, { status: 'failed', error })
      notify({ tone: 'trouble', text: `${name}: ${errorText(error)}` })
    }
    if (own.place.kind === 'zip') await own.place.leftOut()
  }
}

/** The wanted file of a draft. */
async function delivered(name: string, draft: Draft, signal: AbortSignal, show: (share: number) => void) {
  const doubts: string[] = []
  const limited = (count: number) => {
    if (count > 0) doubts.push(`${count} samples were over full scale and were limited; 32-bit float keeps them`)
  }
  if (draft.done) {
    limited(draft.clippedSamples)
    const held = wavRate(draft.rate)
    if (held !== draft.rate) doubts.push(`a WAV file holds whole rates: ${draft.rate} Hz is written as ${held} Hz`)
    return { blob: draft.blob, seconds: draft.frames / draft.rate, rate: draft.rate, doubts }
  }
  const { delivery, tags, seed, wantedFrames } = draft
  const { blob, facts } = await pool.run<'deliver'>(
    {
      kind: 'deliver',
      draft: draft.blob,
      delivery,
      said: { markers: 'keep', tags, seed },
      ...(wantedFrames !== undefined && { frames: wantedFrames }),
      folder: draft.blob.size > 2 ** 26 ? scratchFolder() : undefined,
    },
    { signal, rank: 0, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
  )
  limited(draft.clippedSamples + facts.clippedSamples)
  const level = facts.level && { ...facts.level.after, heldDb: facts.level.heldDb }
  if (level && delivery.level.kind === 'loudness') {
    if (!Number.isFinite(level.lufs)) doubts.push(errorText(new AppError('export/silent', { file: name })))
    else if (Math.abs(level.lufs - delivery.level.lufs) > 0.1)
      doubts.push(
        `${level.lufs.toFixed(1)} LUFS is as near as it can be brought below ${delivery.level.ceilingDb} dBTP`,
      )
  }
  return { blob, seconds: facts.frames / facts.rate, rate: facts.rate, doubts, ...(level && { level }) }
}

export function cancelQueued(id: string) {
  const own = waiting.get(id)
  own?.stop.abort()
  const file = getState().queue.find((one) => one.id === id)
  if (file?.status === 'waiting') {
    change(id, { status: 'cancelled' })
    if (own?.place.kind === 'zip') void own.place.leftOut()
  }
}

/** Once more, as it was asked for then. */
export function retryQueued(id: string) {
  const own = waiting.get(id)
  if (!own) return
  waiting.set(id, {
    ...own,
    place: own.place.kind === 'zip' ? { kind: 'downloads' } : own.place,
    stop: new AbortController(),
  })
  const { error: _, ...file } = getState().queue.find((one) => one.id === id) as QueuedFile
  // it goes to the end of the line
  setState(({ queue }) => ({
    queue: [...queue.filter((one) => one.id !== id), { ...file, status: 'waiting', progress: 0 }],
  }))
  void run()
}

/** Let a waiting file come sooner, or later. */
export function moveQueued(id: string, by: -1 | 1) {
  setState(({ queue }) => {
    const line = queue.filter(({ status }) => status === 'waiting')
    const at = line.findIndex((one) => one.id === id)
    const other = line[at + by]
    if (at < 0 || !other) return {}
    const [a, b] = [queue.findIndex((one) => one.id === id), queue.findIndex((one) => one.id === other.id)]
    const next = [...queue]
    next[a] = queue[b] as QueuedFile
    next[b] = queue[a] as QueuedFile
    return { queue: next }
  })
}

/** Take what is finished, or was given up, off the list; no file is touched. */
export function clearQueue() {
  setState(({ queue }) => ({
    queue: queue.filter(({ id, status }) => {
      const stays = status === 'waiting' || status === 'running'
      if (!stays) waiting.delete(id)
      return stays
    }),
  }))
}

/** Hand a finished file out once more. */
export async function saveAgain({ name, made }: QueuedFile) {
  if (!made) return
  try {
    await saveTo({ kind: 'downloads' }, [{ name, blob: made.blob }])
  } catch (error) {
    tell(error)
  }
}

export const mimeOf = ({ settings }: QueuedFile) => containers[settings.container].mime
