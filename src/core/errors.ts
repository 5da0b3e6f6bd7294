/**
 * Trouble that is expected: an unreadable file, a setting out of range, a full disk. The code is stable and is what other
 * layers branch on; `details` are plain data; the words for people are chosen elsewhere, from code and details.
 */
export class AppError extends Error {
  readonly code: string
  readonly details: Readonly<Record<string, string | number>>
  constructor(code: string, details: Record<string, string | number> = {}, cause?: unknown) {
    super(`${code} ${JSON.stringify(details)}`, cause === undefined ? undefined : { cause })
    this.name = 'AppError'
    this.code = code
    this.details = details
  }
}
