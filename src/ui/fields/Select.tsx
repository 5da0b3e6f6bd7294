import { ChevronDown } from 'lucide-react'
import type { ComponentProps } from 'react'

/** The browser's own list, dressed like a number field: one line below, and a mark that it opens. */
export function Select({ className = '', ...props }: ComponentProps<'select'>) {
  return (
    <span className={`relative inline-flex items-center border-b border-edge hover:border-soft ${className}`}>
      <select {...props} className="bare-select pr-5 leading-[20px]" />
      <ChevronDown size={13} aria-hidden="true" className="pointer-events-none absolute right-0.5 text-faint" />
    </span>
  )
}
