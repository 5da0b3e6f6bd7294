import { amend } from '../../../session'
import type { LoadedSound } from '../files/audioShelf'
import { type State, store } from './store'

const { setState } = store

/** Write down what reading a source told about it. */
export function rememberFacts(sourceId: string, { decoded, facts, hash }: LoadedSound) {
  setState((state) => ({
    history: amend(state.history, (draft) => {
      const source = draft.sources.find((s) => s.id === sourceId)
      if (!source || source.facts?.hash) return
      source.facts = {
        frames: facts.frames,
        sampleRate: decoded.sound.sampleRate,
        channels: decoded.sound.channelCount,
        container: decoded.container,
        ...(decoded.depth && { depth: decoded.depth }),
        peak: facts.peak,
        hash,
      }
    }),
  }))
}

export function setLoad(id: string, load: State['loads'][string]) {
  setState((state) => ({ loads: { ...state.loads, [id]: load } }))
}
