import { serveKnowledge, serveTones } from './analyse'
import { servePieces } from './pieces'
import type { Service } from './threads'

/** All that a thread of this command can be asked for. */
export const services: Readonly<Record<string, Service>> = {
  pieces: servePieces,
  knowledge: serveKnowledge,
  tones: serveTones,
}
