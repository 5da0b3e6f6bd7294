import { AppError } from '../errors'
import { grain } from './grain'
import type { AnyMethod } from './method'
import { varispeed } from './varispeed'
import { vocoder } from './vocoder'
import { wsola } from './wsola'

/** All methods, in the order in which they are offered. */
export const methods: readonly AnyMethod[] = [wsola, vocoder, grain, varispeed]

/** @throws {AppError} `method/unknown` with the ids there are. */
export function methodById(id: string): AnyMethod {
  const found = methods.find((method) => method.id === id)
  if (!found) throw new AppError('method/unknown', { id, known: methods.map((method) => method.id).join(', ') })
  return found
}

/** What a new source is tried with: one method of each family that answers a different need. */
export const firstMethods: readonly string[] = ['wsola', 'vocoder', 'grain']
