import { offerSession } from '../keep/sessionFile'
import { tell } from '../state/notices'
import { bringIn } from './arrivals'

/** Files that were opened with the app from outside: from the file manager of a desktop that it is installed on. */

interface LaunchQueue {
  setConsumer(take: (launch: { readonly files?: readonly FileSystemFileHandle[] }) => void): void
}

export function takeLaunched() {
  const queue = (globalThis as unknown as { launchQueue?: LaunchQueue }).launchQueue
  queue?.setConsumer(({ files = [] }) => void take(files).catch(tell))
}

async function take(handles: readonly FileSystemFileHandle[]) {
  const files = await Promise.all(handles.map((handle) => handle.getFile()))
  const isSession = ({ name }: File) => /\.zumbet$/i.test(name)
  const sounds = files.filter((file) => !isSession(file))
  if (sounds.length > 0) await bringIn(sounds)
  const session = files.find(isSession)
  if (session) await offerSession(session)
}
