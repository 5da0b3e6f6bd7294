import type { Outlook } from '../../../session'
import { store } from './store'

/** Change what the eye and ear are on; kept with the session, but no step of undo. */
export function setOutlook(next: Partial<Outlook> | ((outlook: Outlook) => Partial<Outlook>)) {
  store.setState(({ outlook }) => ({ outlook: { ...outlook, ...(typeof next === 'function' ? next(outlook) : next) } }))
}
