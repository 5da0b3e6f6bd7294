import { AppError, CONTAINERS, containerOf, containers } from '../../../core'
import { heldToKind, type Over } from '../../../session'
import { mayChange } from '../state/access'
import { places } from '../state/engine'
import { notify, tell } from '../state/notices'
import { setOutlook } from '../state/outlook'
import { type State, store } from '../state/store'
import { type Item, itemOf, recipeOfItem } from './items'
import { type FileHandle, mayWrite, writeWhole } from './places'
import { enqueue, giveWay } from './queue'

/**
 * Saving over one and the same file, so that a program that is linked to it picks up what is new. The browser writes
 * beside the file, and swaps it in when all is written.
 */

declare global {
  interface Window {
    showSaveFilePicker?(how: {
      suggestedName?: string
      types?: readonly { description: string; accept: Record<string, string[]> }[]
    }): Promise<FileHandle>
  }
}

const { getState } = store
const held = new Map<string, FileHandle>()
/** the line of the queue that a file was last saved by */
const lines = new Map<string, string>()
const placeOf = (key: string) => `over ${key}`
/** what is changed by dragging changes many times a second */
const SETTLED_MS = 700

/** Whether this browser lets a page write over a file. */
export const canSaveOver = () => typeof window !== 'undefined' && window.showSaveFilePicker !== undefined

const change = (key: string, next: Partial<Over>) =>
  setOutlook(({ exporting }) => ({
    exporting: { ...exporting, over: exporting.over.map((one) => (one.key === key ? { ...one, ...next } : one)) },
  }))

/** Choose the file that a result is saved over, and save it. Its ending says what kind of file it is. */
export async function beginOver(item: Item, suggested: string) {
  if (!mayChange()) return
  try {
    if (!window.showSaveFilePicker) throw new AppError('file/no-way', {})
    const handle = await window.showSaveFilePicker({
      suggestedName: suggested,
      types: CONTAINERS.map((container) => ({
        description: containers[container].label,
        accept: { [containers[container].mime]: [`.${containers[container].ending}`] },
      })),
    })
    held.set(item.key, handle)
    await places.put(placeOf(item.key), handle)
    const { settings } = getState().outlook.exporting
    const over: Over = {
      key: item.key,
      name: handle.name,
      settings: heldToKind({ ...settings, container: containerOf(handle.name) ?? settings.container, recipe: false }),
      again: false,
      // the picker has asked whether it may be written over
      knownAt: (await handle.getFile()).lastModified,
    }
    setOutlook(({ exporting }) => ({
      exporting: { ...exporting, over: [...exporting.over.filter(({ key }) => key !== item.key), over] },
    }))
    saveOver(item.key)
  } catch (error) {
    if ((error as Error)?.name !== 'AbortError') tell(error)
  }
}

async function handleOf(key: string): Promise<FileHandle | undefined> {
  const own = held.get(key) ?? ((await places.get(placeOf(key))) as FileHandle | undefined)
  if (own) held.set(key, own)
  return own
}

/** Save it once more. It takes its place in the queue, where it can be tried again. */
export function saveOver(key: string) {
  const state = getState()
  const over = state.outlook.exporting.over.find((one) => one.key === key)
  const item = itemOf(state, key)
  if (!over || !item) return
  const content = contentOf(state, key)
  if (content !== undefined) savedOf.set(key, content)
  const before = lines.get(key)
  if (before !== undefined) giveWay(before)
  // once it was told that someone else changed it, trying again is meant
  let wasTold = false
  const [line] = enqueue([{ item, name: over.name }], over.settings, {
    kind: 'over',
    name: `over ${over.name}`,
    async write(blob) {
      const handle = await handleOf(key)
      // without somebody's press of a key a browser may refuse to ask
      const leave = handle && (await mayWrite(handle).catch(() => 'denied'))
      if (!handle || leave !== 'granted') throw new AppError('file/shut', { file: over.name })
      const now = getState().outlook.exporting.over.find((one) => one.key === key)
      const { lastModified } = await handle.getFile()
      if (!wasTold && lastModified > (now?.knownAt ?? Number.POSITIVE_INFINITY)) {
        wasTold = true
        change(key, { again: false })
        throw new AppError('file/newer', { file: over.name })
      }
      try {
        await writeWhole(handle, blob)
      } catch (error) {
        throw new AppError('file/unwritable', { file: over.name, why: (error as Error)?.message ?? '' }, error)
      }
      change(key, { knownAt: (await handle.getFile()).lastModified })
    },
  })
  if (line !== undefined) lines.set(key, line)
}

/** Save it again at every change, or no more. */
export function setAgain(key: string, again: boolean) {
  change(key, { again })
  if (again) saveOver(key)
}

/** Let go of the file; it stays as it is. */
export function endOver(key: string) {
  setOutlook(({ exporting }) => ({
    exporting: { ...exporting, over: exporting.over.filter((one) => one.key !== key) },
  }))
  held.delete(key)
  lines.delete(key)
  void places.remove(placeOf(key))
}

/** What was last saved of each, as far as what is heard of it hangs on it. */
const savedOf = new Map<string, unknown>()
let settling: ReturnType<typeof setTimeout> | undefined

function contentOf(state: State, key: string): unknown {
  const item = itemOf(state, key)
  if (!item) return undefined
  const recipe = recipeOfItem(item.content)
  if (recipe) return JSON.stringify(recipe)
  // a mix, a pick or a take hangs on much: every change may be one of it
  return state.history.present
}

/** After whatever changed: files that are saved at every change are, once it stays as it is for a moment. */
export function syncOver(state: State, before: State | undefined) {
  if (before && state.history === before.history && state.outlook.exporting.over === before.outlook.exporting.over)
    return
  const kept = state.outlook.exporting.over.filter(({ again }) => again)
  if (kept.length === 0) return
  // what a session opens with lies in the file; what is changed a moment after does not
  for (const { key } of kept) {
    const content = savedOf.has(key) ? undefined : contentOf(state, key)
    if (content !== undefined) savedOf.set(key, content)
  }
  clearTimeout(settling)
  settling = setTimeout(() => {
    const now = getState()
    if (now.access.kind !== 'writes' && now.access.kind !== 'unkept') return
    for (const { key, again, name } of now.outlook.exporting.over) {
      const content = contentOf(now, key)
      if (!again || content === undefined || content === savedOf.get(key)) continue
      saveOver(key)
      notify({ tone: 'plain', text: `${name} is saved again` })
    }
  }, SETTLED_MS)
}
