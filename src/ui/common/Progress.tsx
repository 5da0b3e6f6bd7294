import { X } from 'lucide-react'
import type { ReactNode } from 'react'

/** How far work is, with what tells it in words, and the way to stop it. */
export function Progress(props: {
  readonly label: string
  readonly value: number
  readonly max?: number
  readonly wide?: boolean
  readonly cancelLabel: string
  readonly onCancel: () => void
  readonly children: ReactNode
}) {
  const { label, value, max = 1, wide = false, cancelLabel, onCancel, children } = props
  return (
    <>
      <progress aria-label={label} className={`h-1.5 ${wide ? 'flex-1' : 'w-[90px]'}`} max={max} value={value} />
      <span className="min-w-[36px] text-right">{children}</span>
      <button type="button" className="plain-button !h-6 !px-1.5" aria-label={cancelLabel} onClick={onCancel}>
        <X size={13} />
      </button>
    </>
  )
}
