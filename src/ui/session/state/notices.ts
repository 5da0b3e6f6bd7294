import { errorText } from '../../../host/errorText'
import { type Notice, store } from './store'

let nextNotice = 1

export function notify(notice: Omit<Notice, 'id'>) {
  store.setState((state) => ({ notices: [...state.notices, { ...notice, id: nextNotice++ }] }))
}

export function dismiss(id: number) {
  store.setState((state) => ({ notices: state.notices.filter((notice) => notice.id !== id) }))
}

export function tell(error: unknown) {
  notify({ tone: 'trouble', text: errorText(error) })
}
