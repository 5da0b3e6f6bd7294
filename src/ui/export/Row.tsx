import type { ReactNode } from 'react'

/** A setting with its name before it. */
export function Row({ caption, children }: { readonly caption: string; readonly children: ReactNode }) {
  return (
    <div className="grid grid-cols-[80px_1fr] items-baseline gap-2">
      <span className="text-[12.5px] text-soft">{caption}</span>
      <span className="min-w-0">{children}</span>
    </div>
  )
}

export const Rule = () => <div className="my-0.5 border-t border-rule" />

export function Tick({
  label,
  on,
  onChange,
}: {
  readonly label: string
  readonly on: boolean
  onChange(on: boolean): void
}) {
  return (
    <label className="flex items-center gap-2 text-[12.5px]">
      <input type="checkbox" checked={on} onChange={(event) => onChange(event.target.checked)} />
      {label}
    </label>
  )
}
