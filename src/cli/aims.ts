import type { Aim } from '../session/batch/plan'
import { type Arguments, UsageError } from './args'

export const positive = (text: string | undefined) => {
  const value = Number(text)
  return text !== undefined && text.trim() !== '' && Number.isFinite(value) && value > 0 ? value : undefined
}

/** What `--seconds` or `--bpm` say; undefined where neither is there. @throws {UsageError} */
export function aimOf(args: Arguments): Aim | undefined {
  const seconds = args.text('seconds')
  if (seconds !== undefined) {
    const value = positive(seconds)
    if (value === undefined) throw new UsageError(`--seconds takes a length over 0, not "${seconds}"`)
    return { kind: 'seconds', seconds: value }
  }
  const bpm = args.text('bpm')
  if (bpm === undefined) return undefined
  const [first, second, ...more] = bpm.split(':')
  const to = positive(second ?? first)
  const from = second === undefined || first === '' ? undefined : positive(first)
  if (to === undefined || more.length > 0 || (second !== undefined && first !== '' && from === undefined))
    throw new UsageError(`--bpm takes FROM:TO in beats a minute, like 128:120, or the second alone, not "${bpm}"`)
  return { kind: 'bpm', from, to }
}
