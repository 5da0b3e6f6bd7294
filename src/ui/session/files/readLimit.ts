import { AppError } from '../../../core'

const LEAST_MS = 30_000
const MS_A_MEGABYTE = 2000

/** How long reading may go without a sign of life, far more than it takes. A hanging decoder blocks no other. */
export const readLimit = (blob: Blob, file: string) => ({
  limit: {
    ms: LEAST_MS + (blob.size / 1e6) * MS_A_MEGABYTE,
    error: () => new AppError('audio/too-slow', { file }),
  },
})
