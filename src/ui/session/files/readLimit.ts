import { AppError } from '../../../core'

const LEAST_MS = 30_000
const MS_A_MEGABYTE = 2000

/** How long a file may be read without a sign of life, by far more than it takes: a decoder that hangs blocks no other file. */
export const readLimit = (blob: Blob, file: string) => ({
  limit: {
    ms: LEAST_MS + (blob.size / 1e6) * MS_A_MEGABYTE,
    error: () => new AppError('audio/too-slow', { file }),
  },
})
