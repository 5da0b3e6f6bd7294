import type { ListedFile } from '../session/files/gather'

/** All files of a drop, those in folders and in the folders in them among them, each with its path. */
export async function droppedFiles(items: DataTransfer): Promise<{ files: ListedFile[]; folders: boolean }> {
  // the list is only there while the drop is handled: entries are taken before anything is waited for
  const entries = [...items.items].flatMap((item) => item.webkitGetAsEntry() ?? [])
  if (entries.length === 0) {
    return { files: [...items.files].map((file) => ({ file, path: file.name })), folders: false }
  }
  const files: ListedFile[] = []
  for (const entry of entries) await walk(entry, files)
  return { files, folders: entries.some((entry) => entry.isDirectory) }
}

async function walk(entry: FileSystemEntry, files: ListedFile[]): Promise<void> {
  if (entry.isFile) {
    const file = await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail))
    files.push({ file, path: entry.fullPath.replace(/^\//, '') })
    return
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  for (;;) {
    // a reader gives a hundred at a time, and nothing when it is done
    const some = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail))
    if (some.length === 0) return
    for (const inner of some) await walk(inner, files)
  }
}
