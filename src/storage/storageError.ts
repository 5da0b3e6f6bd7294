import { AppError } from '../core'

/** What storage failed by, as people are told of it. */
export function storageError(error: unknown): unknown {
  const { name, inner } = (error ?? {}) as { name?: string; inner?: { name?: string } }
  const names = [name, inner?.name]
  if (names.includes('QuotaExceededError')) return new AppError('storage/full', {}, error)
  if (names.includes('DatabaseClosedError') || names.includes('InvalidStateError'))
    return new AppError('storage/closed', {}, error)
  return error
}
