import { AppError } from '../../../core'
import { saveFile } from '../../common/saveFile'
import { places } from '../state/engine'

/** Where finished files go: the browser's downloads, a folder of the computer, or one zip of all of them. */

export type Place =
  | { readonly kind: 'downloads' }
  | { readonly kind: 'folder'; readonly folder: Folder }
  /** a file of the computer that is written over; `name` is what it is called */
  | { readonly kind: 'over'; readonly name: string; write(blob: Blob): Promise<void> }
  | { readonly kind: 'zip'; add(files: readonly SavedFile[]): Promise<void>; leftOut(): Promise<void> }

interface SavedFile {
  readonly name: string
  readonly blob: Blob
}

/** What of a handle the types of a page lack. */
interface Asking {
  queryPermission?(how: { mode: 'readwrite' }): Promise<PermissionState>
  requestPermission?(how: { mode: 'readwrite' }): Promise<PermissionState>
}
export type Folder = FileSystemDirectoryHandle & Asking
export type FileHandle = FileSystemFileHandle & Asking
declare global {
  interface Window {
    showDirectoryPicker?(how: { mode: 'readwrite'; id?: string; startIn?: FileSystemHandle }): Promise<Folder>
  }
}

const FOLDER = 'export folder'

/** Whether this browser lets a page write into a folder. */
export const hasFolders = () => typeof window !== 'undefined' && window.showDirectoryPicker !== undefined

let remembered: Folder | undefined

/** The folder that was chosen last, and may still be written to; undefined where there is none. */
export async function rememberedFolder(): Promise<Folder | undefined> {
  remembered ??= (await places.get(FOLDER)) as Folder | undefined
  return remembered
}

/** Ask for a folder; undefined where nobody chose one. */
export async function pickFolder(): Promise<Folder | undefined> {
  if (!window.showDirectoryPicker) throw new AppError('folder/none', {})
  try {
    const folder = await window.showDirectoryPicker({ mode: 'readwrite', id: 'zumbet-export' })
    remembered = folder
    await places.put(FOLDER, folder)
    return folder
  } catch (error) {
    if ((error as Error)?.name === 'AbortError') return undefined
    throw error
  }
}

/** The folder that files go to: the one chosen last as long as it may be written to, else one that is asked for. */
export async function chooseFolder(): Promise<Place | undefined> {
  const folder = await folderNow()
  return folder && { kind: 'folder', folder }
}

/** @param how  without `ask` nobody is asked for anything: it is the one chosen last, if there is one. */
export async function folderNow({ ask = true } = {}): Promise<Folder | undefined> {
  const folder = await rememberedFolder()
  if (!ask) return folder
  return folder && (await mayWrite(folder)) === 'granted' ? folder : pickFolder()
}

/** Whether a folder or a file may be written to; its user is asked where that is not known yet. */
export async function mayWrite(place: Folder | FileHandle, { ask = true } = {}): Promise<PermissionState> {
  const how = { mode: 'readwrite' } as const
  const now = (await place.queryPermission?.(how)) ?? 'granted'
  return now === 'prompt' && ask ? ((await place.requestPermission?.(how)) ?? 'granted') : now
}

/** The folder in a folder that a path leads to, made where it is not there; and the name at its end. */
async function placeIn(folder: FileSystemDirectoryHandle, path: string) {
  const names = path.split('/').filter((name) => name !== '' && name !== '.' && name !== '..')
  const name = names.pop() as string
  let within = folder
  for (const one of names) within = await within.getDirectoryHandle(one, { create: true })
  return { within, name }
}

/** The path if nothing lies there yet, else the next one that is free: nothing is written over that nobody named. */
export async function freeName(folder: FileSystemDirectoryHandle, path: string): Promise<string> {
  const { within, name } = await placeIn(folder, path)
  const dot = name.lastIndexOf('.')
  const [base, ending] = dot > 0 ? [name.slice(0, dot), name.slice(dot)] : [name, '']
  for (let n = 1; ; n++) {
    const free = n === 1 ? name : `${base} ${n}${ending}`
    try {
      await within.getFileHandle(free)
    } catch (error) {
      // a folder of this name is in the way as well
      if ((error as Error)?.name === 'TypeMismatchError') continue
      return path.slice(0, path.length - name.length) + free
    }
  }
}

/** All of a file anew: the browser writes beside it, and swaps it in when it is closed. */
export async function writeWhole(handle: FileSystemFileHandle, blob: Blob) {
  const stream = await handle.createWritable()
  try {
    await stream.write(blob)
    await stream.close()
  } catch (error) {
    await stream.abort().catch(() => undefined)
    throw error
  }
}

/**
 * A file, written whole. Its name may lead through folders.
 * @throws {AppError} `folder/unwritable`
 */
export async function writeInto(folder: FileSystemDirectoryHandle, { name: path, blob }: SavedFile) {
  try {
    const { within, name } = await placeIn(folder, path)
    const handle = await within.getFileHandle(name, { create: true })
    await writeWhole(handle, blob)
  } catch (error) {
    throw new AppError(
      'folder/unwritable',
      { folder: folder.name, file: path, why: (error as Error)?.message ?? '' },
      error,
    )
  }
}

/** One zip of so many files: it is handed out when the last of them is in it, or was given up. */
export function zipPlace(files: number, called = 'zumbet-export.zip'): Place {
  const opened = import('@zip.js/zip.js').then(({ BlobReader, BlobWriter, ZipWriter }) => ({
    zip: new ZipWriter(new BlobWriter('application/zip'), { level: 0, useWebWorkers: false }),
    BlobReader,
  }))
  let missing = files
  let added = 0
  const counted = async () => {
    missing--
    if (missing > 0) return
    const blob = await (await opened).zip.close()
    if (added > 0) saveFile(blob, called)
  }
  return {
    kind: 'zip',
    async add(all) {
      const { zip, BlobReader } = await opened
      for (const { name, blob } of all) await zip.add(name, new BlobReader(blob))
      added++
      await counted()
    },
    leftOut: counted,
  }
}

/** Put finished files where they belong. @returns where that is, in words. */
export async function saveTo(place: Place, files: readonly SavedFile[]): Promise<string> {
  if (place.kind === 'downloads') {
    for (const { name, blob } of files) saveFile(blob, name)
    return 'downloads'
  }
  if (place.kind === 'zip') {
    await place.add(files)
    return 'zip'
  }
  if (place.kind === 'over') {
    for (const { blob } of files.slice(0, 1)) await place.write(blob)
    return place.name
  }
  for (const file of files) await writeInto(place.folder, file)
  return place.folder.name
}
