import { AppError } from '../core'

/** An error as plain data, for the ways over which classes do not survive: workers, HTTP, storage. */
export interface WireError {
  readonly code: string
  readonly message: string
  readonly details: Readonly<Record<string, string | number>>
}

export function toWire(error: unknown): WireError {
  if (error instanceof AppError) return { code: error.code, message: error.message, details: error.details }
  return { code: 'internal', message: error instanceof Error ? error.message : String(error), details: {} }
}

export function fromWire(wire: WireError): AppError {
  return new AppError(wire.code, { ...wire.details, ...(wire.code === 'internal' && { what: wire.message }) })
}
