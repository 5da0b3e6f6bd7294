import type { ReactNode } from 'react'

/** A small button that is a picture alone; its name is spoken and shown. */
export function IconButton(props: { readonly label: string; readonly icon: ReactNode; onClick(): void }) {
  const { label, icon, onClick } = props
  return (
    <button type="button" className="plain-button !h-6 !px-1.5" aria-label={label} title={label} onClick={onClick}>
      {icon}
    </button>
  )
}
