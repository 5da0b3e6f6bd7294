import { type Film, openFilm } from '../../../engine'
import type { Source } from '../../../session'
import { shelf } from '../state/engine'
import { tell } from '../state/notices'

/** Films that are open to be looked at: the last one, since one is seen at a time. */

let last: { readonly id: string; readonly film: Promise<Film> } | undefined

/** The pictures of a source's file; undefined where they cannot be read, which is told once. */
export function filmOf(source: Source): Promise<Film | undefined> {
  if (last?.id !== source.id) {
    void last?.film.then((film) => film.close()).catch(() => undefined)
    const film = shelf.bytes(source).then((blob) => openFilm(blob, source.file))
    film.catch(tell)
    last = { id: source.id, film }
  }
  return last.film.catch(() => undefined)
}
