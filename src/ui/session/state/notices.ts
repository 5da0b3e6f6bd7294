import { errorText } from '../../../host/errorText'
import { type Notice, store } from './store'

let nextNotice = 1

export function notify(notice: Omit<Notice, 'id'>) {
  const isReplaced = ({ kind, tone, text }: Notice) =>
    (kind !== undefined && kind === notice.kind) || (tone === notice.tone && text === notice.text)
  store.setState((state) => ({
    notices: [...state.notices.filter((one) => !isReplaced(one)), { ...notice, id: nextNotice++ }],
  }))
}

export function dismiss(id: number) {
  store.setState((state) => ({ notices: state.notices.filter((notice) => notice.id !== id) }))
}

export function tell(error: unknown) {
  notify({ tone: 'trouble', text: errorText(error) })
}
