import { Popover } from 'radix-ui'
import type { ReactNode } from 'react'

/** A small panel that hangs from what it is about, and goes away by itself. */
export function Pop({
  label,
  title,
  trigger,
  doubtful = false,
  width = 340,
  children,
}: {
  readonly label: string
  readonly title?: string | undefined
  readonly trigger: ReactNode
  /** what is doubtful asks to be looked at */
  readonly doubtful?: boolean
  readonly width?: number
  readonly children: ReactNode
}) {
  return (
    <Popover.Root>
      <Popover.Trigger className="fact-trigger" aria-label={label} title={title} data-doubtful={doubtful}>
        {trigger}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={label}
          align="start"
          sideOffset={4}
          collisionPadding={8}
          onOpenAutoFocus={(event) => {
            // the panel takes the keys, not its first field: what is typed may be meant for the whole of it
            event.preventDefault()
            ;(event.currentTarget as HTMLElement).focus()
          }}
          className="z-50 max-h-[70vh] overflow-y-auto rounded-[6px] border border-edge bg-deck px-4 py-3 shadow-[0_10px_34px_rgb(0_0_0/0.32)] outline-none"
          style={{ width }}
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
