import { leaveTried } from './listening'
import type { Outlook } from './model'
import { setOutlook } from './outlook'
import { store } from './store'

/** Go to another view. What was only tried is let go there: lanes are heard again. */
export function showView(view: Outlook['view']) {
  // names that are hidden stay hidden: a blind comparison is ended first
  if (store.getState().blind) return
  leaveTried()
  setOutlook({ view })
}
