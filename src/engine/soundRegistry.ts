import type { SoundSource } from '../core'
import { bytesAhead } from './bytesAhead'
import { openSound, type Sound } from './sound'

/**
 * Sounds as they are open in a thread, each once, by its content. What is kept of a sound (its layers, its levels,
 * the blocks that were read last) hangs on what is opened: opened afresh it would have to be found out again.
 */
export function createSoundRegistry() {
  const opened = new Map<string, SoundSource>()
  return {
    open(key: string, sound: Sound): SoundSource {
      // whoever plays may not be held up
      const there = opened.get(key) ?? openSound(sound, bytesAhead)
      opened.set(key, there)
      return there
    },
    /** Let go of all others. */
    keepOnly(keys: ReadonlySet<string>) {
      for (const key of opened.keys()) if (!keys.has(key)) opened.delete(key)
    },
  }
}
