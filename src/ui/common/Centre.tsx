import type { ReactNode } from 'react'

/** What is said where there is nothing to show: in the middle, with what to do next. */
export function Centre({ children }: { children: ReactNode }) {
  return <div className="flex flex-1 flex-col items-center justify-center gap-4 bg-well text-center">{children}</div>
}
