import { AppError } from '../errors'
import { cycle } from './cycle'
import { drift } from './drift'
import { grain } from './grain'
import { layered } from './layered'
import type { AnyMethod } from './method'
import { splice } from './splice'
import { varispeed } from './varispeed'
import { vocoder } from './vocoder'
import { wsola } from './wsola'

/** All methods, in the order in which they are offered. */
export const methods: readonly AnyMethod[] = [splice, wsola, vocoder, cycle, grain, drift, layered, varispeed]

/** Those that leave pitch and speed apart: each can do the same as any other. */
export const freeMethods = methods.filter(({ tiesPitchToSpeed }) => !tiesPitchToSpeed)

/** @throws {AppError} `method/unknown` with the ids there are. */
export function methodById(id: string): AnyMethod {
  const found = methods.find((method) => method.id === id)
  if (!found) throw new AppError('method/unknown', { id, known: methods.map((method) => method.id).join(', ') })
  return found
}
