import type { Knowledge, Trial } from '../../../core'
import { readFacts, readKnowledge, readTrial, type Source } from '../../../session'

/** What comes with the demo sounds: what is known of them, how long they are, what a first visit would measure. */

const once = (file: string): (() => Promise<Readonly<Record<string, unknown>>>) => {
  let asked: Promise<Record<string, unknown>> | undefined
  return () => {
    // without it all is found out anew
    asked ??= fetch(`/demo/${file}`).then(
      (response) => (response.ok ? response.json() : {}),
      () => ({}),
    )
    return asked
  }
}
const known = once('known.json')
const facts = once('facts.json')
const trials = once('trials.json')

export const demoKnowledge = async ({ file }: Source): Promise<Knowledge | undefined> =>
  readKnowledge((await known())[file])

export const demoFacts = async ({ file }: Source): Promise<Source['facts']> => readFacts((await facts())[file])

/** @param key  of source, recipe and what was measured, as trials are kept by */
export const demoTrial = async (key: string): Promise<Trial | undefined> => readTrial((await trials())[key])
