import type { LucideIcon } from 'lucide-react'
import { Tabs } from 'radix-ui'
import type { ReactNode } from 'react'
import { Guarded } from './Guarded'

export interface SideTab<Id extends string> {
  readonly id: Id
  readonly label: string
  readonly icon: LucideIcon
  readonly disabled?: boolean
}

/** Panels under what is worked on, chosen from a list at their left. */
export function SideTabs<Id extends string>({
  label,
  tabs,
  value,
  onChange,
  sizes,
  foot,
  children,
}: {
  readonly label: string
  readonly tabs: readonly SideTab<Id>[]
  readonly value: Id
  readonly onChange: (id: Id) => void
  /** classes: how high it is at least, and how wide the list */
  readonly sizes: { readonly panel: string; readonly list: string }
  /** under the list */
  readonly foot?: ReactNode
  /** a `SidePanel` for each tab */
  readonly children: ReactNode
}) {
  return (
    <Tabs.Root
      orientation="vertical"
      activationMode="manual"
      value={value}
      onValueChange={(id) => onChange(id as Id)}
      className={`flex shrink-0 border-t border-rule bg-deck ${sizes.panel}`}
    >
      <Tabs.List aria-label={label} className={`flex shrink-0 flex-col border-r border-rule py-2 ${sizes.list}`}>
        {tabs.map(({ id, label: text, icon: Icon, disabled = false }) => (
          <Tabs.Trigger key={id} value={id} disabled={disabled} className="panel-tab">
            <Icon size={14} aria-hidden="true" /> {text}
          </Tabs.Trigger>
        ))}
        {foot}
      </Tabs.List>
      {children}
    </Tabs.Root>
  )
}

/** What a tab shows. What goes wrong in it stays in it, until `resetKey` changes. */
export function SidePanel({
  value,
  name,
  resetKey,
  children,
}: {
  readonly value: string
  readonly name: string
  readonly resetKey: string
  readonly children: ReactNode
}) {
  return (
    <Tabs.Content value={value} className="min-w-0 flex-1 outline-none" tabIndex={-1}>
      <Guarded name={name} resetKey={resetKey}>
        {children}
      </Guarded>
    </Tabs.Content>
  )
}
