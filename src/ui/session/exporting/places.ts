import { BlobReader, BlobWriter, ZipWriter } from '@zip.js/zip.js'
import { AppError } from '../../../core'
import { saveFile } from '../../common/saveFile'
import { places } from '../state/engine'

/** Where finished files go: the browser's downloads, a folder of the computer, or one zip of all of them. */

export type Place =
  | { readonly kind: 'downloads' }
  | { readonly kind: 'folder'; readonly folder: Folder }
  | { readonly kind: 'zip'; add(files: readonly SavedFile[]): Promise<void>; leftOut(): Promise<void> }

interface SavedFile {
  readonly name: string
  readonly blob: Blob
}

/** What of a folder's handle the types of a page lack. */
type Folder = FileSystemDirectoryHandle & {
  queryPermission?(how: { mode: 'readwrite' }): Promise<PermissionState>
  requestPermission?(how: { mode: 'readwrite' }): Promise<PermissionState>
}
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
  let folder = await rememberedFolder()
  if (folder && (await mayWrite(folder)) !== 'granted') folder = undefined
  folder ??= await pickFolder()
  return folder && { kind: 'folder', folder }
}

async function mayWrite(folder: Folder): Promise<PermissionState> {
  const how = { mode: 'readwrite' } as const
  const now = (await folder.queryPermission?.(how)) ?? 'granted'
  return now === 'prompt' ? ((await folder.requestPermission?.(how)) ?? 'granted') : now
}

/**
 * A file, written whole: the browser writes beside it, and swaps it in when it is closed.
 * @throws {AppError} `folder/unwritable`
 */
export async function writeInto(folder: FileSystemDirectoryHandle, { name, blob }: SavedFile) {
  try {
    const handle = await folder.getFileHandle(name, { create: true })
    const stream = await handle.createWritable()
    try {
      await stream.write(blob)
      await stream.close()
    } catch (error) {
      await stream.abort().catch(() => undefined)
      throw error
    }
  } catch (error) {
    throw new AppError(
      'folder/unwritable',
      { folder: folder.name, file: name, why: (error as Error)?.message ?? '' },
      error,
    )
  }
}

/** One zip of so many files: it is handed out when the last of them is in it, or was given up. */
export function zipPlace(files: number): Place {
  const zip = new ZipWriter(new BlobWriter('application/zip'), { level: 0, useWebWorkers: false })
  let missing = files
  let added = 0
  const counted = async () => {
    missing--
    if (missing > 0) return
    const blob = await zip.close()
    if (added > 0) saveFile(blob, 'zumbet-export.zip')
  }
  return {
    kind: 'zip',
    async add(all) {
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
  for (const file of files) await writeInto(place.folder, file)
  return place.folder.name
}
