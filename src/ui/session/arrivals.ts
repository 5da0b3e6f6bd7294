import { AppError } from '../../core'
import { edit, selectSource } from './edits'
import { files, pool, shelf } from './engine'
import { rememberFacts } from './loading'
import { newSource } from './model'
import { tell } from './notices'
import { store } from './store'

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
        // as it is now, whatever becomes of the file
        const blob = new Blob([await file.arrayBuffer()])
        const sound = await pool.run<'decode'>({ kind: 'decode', blob, file: file.name }, { rank: 1 })
        await files.put(id, file.name, blob)
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
