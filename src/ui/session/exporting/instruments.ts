import { type Instrument, planOf } from '../../../core'
import {
  KEYS_ID,
  PAD_KEY,
  type PickMark,
  padInstrument,
  partFacts,
  type Session,
  type Source,
  type Take,
} from '../../../session'
import { type InstrumentZone, zonesOf } from '../../../session/instrumentText'

/** Pads and keys as single notes: what each gives when it is struck and held to its end. */

const rateOf = (source: Source) => Math.round(source.facts?.sampleRate ?? 48_000)

/** A pick is what its pad gives when it is struck and held to its end. */
export function padTake(pick: PickMark, source: Source): Take {
  const rate = rateOf(source)
  const { from = pick.from, to = pick.to } = padInstrument(source, pick) ?? pick
  const length = Math.max(1, Math.round((to - from) * rate))
  const notes = [{ pick: pick.id, key: PAD_KEY, velocity: 1, on: 0, off: length }]
  return { id: pick.id, name: pick.name, rate, length, notes, hands: [] }
}

/** A note of an instrument file: how it is made, and where it lies on the keys. */
export interface SampledNote {
  readonly take: Take
  readonly source: Source
  readonly zone: Omit<InstrumentZone, 'file'>
}

/** the lowest key that a pad lies on, and how far apart keys are sampled */
const FIRST_PAD = 36
const EVERY = 3
const HIGHEST = 127

/** A pad a key, from the lowest on. */
export const padNotes = (session: Session): SampledNote[] =>
  session.picks.slice(0, HIGHEST - FIRST_PAD + 1).flatMap((pick, n) => {
    const source = session.sources.find(({ id }) => id === pick.source)
    const key = FIRST_PAD + n
    return source ? [{ take: padTake(pick, source), source, zone: { key, low: key, high: key } }] : []
  })

/** What lies over the keys, an octave to either side of where it sounds as it is. */
export function keyNotes(session: Session, source: Source, order: Instrument): SampledNote[] {
  const facts = partFacts(source)
  const { keys } = session
  if (!facts || !keys) return []
  const rate = rateOf(source)
  const whole = planOf(order.recipe, facts).map.outputFrames / facts.sampleRate
  const seconds = (order.to ?? whole) - (order.from ?? 0)
  return zonesOf(order.root, EVERY, order.root - 12, order.root + 12).map((zone) => {
    // like tape, a higher key is over sooner
    const ratio = order.length === 'tape' ? 2 ** ((zone.key - order.root) / 12) : 1
    const once = Math.max(1, Math.round((seconds / ratio) * rate))
    // the second round begins as every later one does
    const length = order.play === 'loop' ? 2 * once : once
    const notes = [{ key: zone.key, velocity: 1, on: 0, off: length }]
    const take: Take = { id: `${KEYS_ID} ${zone.key}`, name: source.name, rate, length, keys, notes, hands: [] }
    return { take, source, zone: { ...zone, ...(order.play === 'loop' && { loop: { start: once, end: length } }) } }
  })
}
