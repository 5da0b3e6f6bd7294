import type { LoadedSound } from './audioShelf'
import { shelf } from './engine'
import { amend } from './history'
import type { Source } from './model'
import { type State, store } from './store'

const { setState } = store

/** Find out length and kind of a source that was never read. */
export async function learn(source: Source) {
  try {
    rememberFacts(source.id, await shelf.get(source, 5))
  } catch {
    // selecting it will say why
  }
}

/** Write down what reading a source told about it. */
export function rememberFacts(sourceId: string, { decoded, facts }: LoadedSound) {
  setState((state) => ({
    history: amend(state.history, (draft) => {
      const source = draft.sources.find((s) => s.id === sourceId)
      if (!source || source.facts) return
      source.facts = {
        frames: facts.frames,
        sampleRate: decoded.audio.sampleRate,
        channels: decoded.audio.channels.length,
        container: decoded.container,
        ...(decoded.depth && { depth: decoded.depth }),
        peak: facts.peak,
      }
    }),
  }))
}

export function setLoad(id: string, load: State['loads'][string]) {
  setState((state) => ({ loads: { ...state.loads, [id]: load } }))
}
