import type { ReactNode } from 'react'

/** A field with its caption over it. */
export function Field({ caption, children }: { readonly caption: string; readonly children: ReactNode }) {
  return (
    <span className="inline-flex flex-col gap-0.5">
      <span className="caption whitespace-nowrap">{caption}</span>
      {children}
    </span>
  )
}
