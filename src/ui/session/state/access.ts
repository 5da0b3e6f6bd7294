import { notify } from './notices'
import { type Access, store } from './store'

/** Why nothing can be changed here, and what to do about it. */
export function accessText(access: Access): string | undefined {
  if (access.kind === 'watches')
    return 'Another tab works on this session. Here it can be heard and looked at; it follows what is changed there.'
  if (access.kind === 'newer')
    return `This session was written by a newer Zumbet (its version ${access.version}). It can be heard and looked at, and nothing is written over it.`
  if (access.kind === 'unkept')
    return `This browser keeps nothing of the session: ${access.why} Save it as a file before this window is closed.`
  return undefined
}

let toldAt = 0

/** Whether the session may be changed. Says why not, once for what is tried in a row. */
export function mayChange(): boolean {
  const { access } = store.getState()
  if (access.kind === 'writes' || access.kind === 'unkept') return true
  if (Date.now() - toldAt > 3000)
    notify({ tone: 'plain', text: `Nothing was changed. ${accessText(access)} See the line at the top.` })
  toldAt = Date.now()
  return false
}

export const setAccess = (access: Access) => store.setState({ access })
