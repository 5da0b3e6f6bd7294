import type { Outlook } from '../../session'
import { leaveTried } from './hear/listening'
import { setOutlook } from './state/outlook'
import { store } from './state/store'

/** Go to another view. What was only tried is let go there: lanes are heard again. */
export function showView(view: Outlook['view']) {
  // names that are hidden stay hidden: a blind comparison is ended first
  if (store.getState().blind) return
  leaveTried()
  setOutlook({ view })
}

/** what a source carries while it is dragged from the shelf into a view */
export const SOURCE_TYPE = 'application/x-zumbet-source'
/** the same of a file that is listed in Found */
export const FOUND_TYPE = 'application/x-zumbet-found'
