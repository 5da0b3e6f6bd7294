import type { Levels, Recipe } from '../../../core'
import { amongSounds, hasLevels, partOfSound, type Sound, withLevels } from '../../../engine'
import { kinOf, partKey, partRecipe, type Session, type Source } from '../../../session'
import { openTogether } from '../files/audioShelf'
import { syncAnalysis } from '../know/analyses'
import { pool } from '../state/engine'
import { store } from '../state/store'

/** What has to be known of sounds before they can be heard together, by their content. */

/** of sounds that stay in their files */
const levels = new Map<string, Promise<Levels>>()
const MOST_KEPT = 64

/** A sound with its levels, where they take a while to find out. */
export async function withItsLevels(source: Source, sound: Sound): Promise<Sound> {
  if (hasLevels(sound)) return sound
  const { kin } = sound
  if (kin) {
    const all = kinOf(store.getState().history.present.sources, source)
    const sounds = await Promise.all(kin.sounds.map((own, n) => withItsLevels(all[n] ?? source, own)))
    return amongSounds(sounds, kin.own)
  }
  const key = partKey(source)
  const finding = levels.get(key) ?? pool.run<'levels'>({ kind: 'levels', sound }, { rank: 0 })
  levels.set(key, finding)
  for (const oldest of levels.keys()) if (levels.size > MOST_KEPT) levels.delete(oldest)
  try {
    return withLevels(sound, await finding)
  } catch (error) {
    levels.delete(key)
    throw error
  }
}

/** The recipes of a source's parts. */
export const recipesOf = ({ parts }: Pick<Session, 'parts'>, source: Source): readonly Recipe[] =>
  parts.filter((part) => part.source === source.id).map((part) => partRecipe(source, part))

/**
 * Begin to find out what the mix of a session needs of a sound while others of it are still on their way in: of the
 * first one alone, so that there is something to hear at once, and the others are not held up.
 * Whatever fails is told when the sound is opened to be heard.
 */
export async function prepareFirst(recipes: readonly Recipe[], source: Source, blob: Blob) {
  // kin are timed by another one, which need not be there yet
  if (source.kin) return
  try {
    const whole = await openTogether(pool, blob, source.file, 1)
    const { range } = source
    const sound = range ? partOfSound(whole, range.start, range.end) : whole
    syncAnalysis(source, sound, recipes)
    await withItsLevels(source, sound)
  } catch {
    // it is opened again to be heard
  }
}
