import type { ReactNode } from 'react'
import { ErrorBoundary } from 'react-error-boundary'
import { saveSession } from '../session/keep/sessionFile'

/** A part of the page that may fail by itself: the rest goes on, and the session can be had as a file from here. */
export function Guarded({
  name,
  resetKey,
  children,
}: {
  readonly name: string
  /** with another one it is tried again by itself */
  readonly resetKey?: unknown
  readonly children: ReactNode
}) {
  return (
    <ErrorBoundary
      resetKeys={[resetKey]}
      fallbackRender={({ error, resetErrorBoundary }) => (
        <div
          role="alert"
          aria-label={`${name} failed`}
          className="flex flex-1 flex-col items-start gap-2 overflow-auto p-4"
        >
          <p className="font-[620] text-trouble">{name} could not be shown.</p>
          <p className="max-w-[60ch] text-soft">
            The session is kept and everything else goes on. ({error instanceof Error ? error.message : String(error)})
          </p>
          <span className="-ml-2 flex">
            <button type="button" className="plain-button !text-tide" onClick={resetErrorBoundary}>
              Show it again
            </button>
            <button type="button" className="plain-button !text-tide" onClick={() => void saveSession()}>
              Save the session as a file
            </button>
          </span>
        </div>
      )}
    >
      {children}
    </ErrorBoundary>
  )
}
