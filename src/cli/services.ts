import { serveKnowledge, serveTones } from './analyse'
import { serveBatch } from './batchFile'
import { serveLooks } from './looks'
import { serveMixAnalysis, serveMixParts } from './mixParts'
import { servePieces } from './pieces'
import type { Service } from './threads'

/** All that a thread of this command can be asked for. */
export const services: Readonly<Record<string, Service>> = {
  pieces: servePieces,
  mixAnalysis: serveMixAnalysis,
  mixParts: serveMixParts,
  knowledge: serveKnowledge,
  batch: serveBatch,
  tones: serveTones,
  looks: serveLooks,
}
