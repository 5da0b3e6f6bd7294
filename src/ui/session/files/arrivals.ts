import { AppError } from '../../../core'
import { sniff } from '../../../host/sniff'
import { newSource } from '../../../session'
import { edit, selectSource } from '../edits'
import { files, pool, shelf } from '../state/engine'
import { rememberFacts } from '../state/loading'
import { tell } from '../state/notices'
import { store } from '../state/store'
import type { LoadedSound } from './audioShelf'

const { setState } = store

/** Read files in and put them on the shelf; the ones that cannot be read are told of, the others come in. */
export async function bringIn(list: readonly File[]) {
  const gesture = crypto.randomUUID()
  const arriving = list.map((file) => ({ id: crypto.randomUUID(), file }))
  setState((state) => ({ arrivals: [...state.arrivals, ...arriving.map(({ id, file }) => ({ id, file: file.name }))] }))
  let first = true
  await Promise.all(
    arriving.map(async ({ id, file }) => {
      try {
        const sound = await takeIn(id, file)
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

/** a longer file does not lie in memory, not even while it comes in */
const MOST_BYTES_IN_MEMORY = 2 ** 25
/** enough to tell what a file is, behind any picture that it carries */
const HEAD_BYTES = 2 ** 24

/** Read a file as it is now, whatever becomes of it, and keep its bytes. */
async function takeIn(id: string, file: File): Promise<LoadedSound> {
  const read = (blob: Blob) => pool.run<'decode'>({ kind: 'decode', blob, file: file.name }, { rank: 1 })
  if (file.size <= MOST_BYTES_IN_MEMORY) {
    const blob = new Blob([await file.arrayBuffer()])
    const sound = await read(blob)
    await files.put(id, file.name, blob)
    return sound
  }
  sniff(new Uint8Array(await file.slice(0, HEAD_BYTES).arrayBuffer()), file.name)
  await files.put(id, file.name, file)
  try {
    const kept = await files.get(id)
    if (!kept) throw new AppError('storage/lost', { name: file.name })
    return await read(kept)
  } catch (error) {
    await files.forget(id)
    throw error
  }
}
