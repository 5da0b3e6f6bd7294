import {
  type AudioBlock,
  type Preparing,
  type ReadyInstrument,
  readyInstrument,
  type Shaping,
  shapedFor,
} from '../core'
import type { GivenInstrument, MixSound } from './playerProtocol'
import { createSoundRegistry } from './soundRegistry'

/**
 * Instruments as the player holds them: what they need is made in spare time, in the order in which they were given.
 * One that is as it was before stays ready, with all that was made of its sound.
 */
export function createInstruments(events: {
  onReady(ids: readonly string[]): void
  onUnplayable(id: string, error: unknown): void
}) {
  const registry = createSoundRegistry()
  let sounds: Readonly<Record<string, MixSound>> = {}
  let ready = new Map<string, { readonly text: string; readonly instrument: ReadyInstrument }>()
  let waiting: { readonly given: GivenInstrument; readonly text: string; work?: Preparing<ReadyInstrument> }[] = []

  const tellReady = () => events.onReady([...ready.keys()])

  return {
    /** whether some are still being got ready */
    get busy() {
      return waiting.length > 0
    },
    get: (id: string): ReadyInstrument | undefined => ready.get(id)?.instrument,
    /** A sound that was given, whole, as a hand leads it; undefined for one that lies in its file. */
    block(id: string, shaping: Shaping): AudioBlock | undefined {
      const given = sounds[id]
      const source = given && registry.open(given.key, given.sound)
      if (!source || source.slow) return undefined
      const audio = source.part(0, source.frames)
      return shapedFor({ audio, analysis: given.analysis }, shaping).audio
    },
    /** All that there are from now on. */
    set(given: Readonly<Record<string, MixSound | 'as before'>>, instruments: readonly GivenInstrument[]) {
      const before = sounds
      sounds = Object.fromEntries(
        Object.entries(given).flatMap(([key, own]) => {
          const sound = own === 'as before' ? before[key] : own
          return sound ? [[key, sound]] : []
        }),
      )
      registry.keepOnly(new Set(Object.values(sounds).map(({ key }) => key)))
      const kept: typeof ready = new Map()
      const next: typeof waiting = []
      for (const one of instruments) {
        const text = `${one.sound} ${JSON.stringify(one.order)}`
        const there = ready.get(one.order.id)
        const begun = waiting.find((other) => other.given.order.id === one.order.id && other.text === text)
        if (there?.text === text) kept.set(one.order.id, there)
        else {
          // what it was before is played until it is ready as it is to be
          if (there) kept.set(one.order.id, there)
          next.push(begun ?? { given: one, text })
        }
      }
      ready = kept
      waiting = next
      tellReady()
    },
    /** Do a little of what is still to be done; false where there is nothing. */
    work(): boolean {
      const own = waiting[0]
      if (!own) return false
      const { order, sound } = own.given
      try {
        const there = sounds[sound]
        if (!there) {
          waiting.shift()
          return waiting.length > 0
        }
        own.work ??= readyInstrument(registry.open(there.key, there.sound), order, there.analysis)
        const step = own.work.next()
        if (!step.done) return true
        ready.set(order.id, { text: own.text, instrument: step.value })
        waiting.shift()
        tellReady()
      } catch (error) {
        waiting.shift()
        events.onUnplayable(order.id, error)
      }
      return waiting.length > 0
    },
  }
}

export type Instruments = ReturnType<typeof createInstruments>
