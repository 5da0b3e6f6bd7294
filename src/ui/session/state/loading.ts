import { AppError } from '../../../core'
import { amend, type Source } from '../../../session'
import type { LoadedSound } from '../files/audioShelf'
import { contents } from './engine'
import { tell } from './notices'
import { type State, store } from './store'

const { getState, setState } = store

const find = (id: string) => getState().history.present.sources.find((source) => source.id === id)

/** Write down what came with a sound that need not be read for it, unless more is known already. */
export function setFacts(sourceId: string, facts: NonNullable<Source['facts']>) {
  setState((state) => ({
    history: amend(state.history, (draft) => {
      const source = draft.sources.find((own) => own.id === sourceId)
      if (source && !source.facts) source.facts = facts
    }),
  }))
}

/** Write down what reading a source told about it. */
export function rememberFacts(sourceId: string, { decoded, facts, hash }: LoadedSound) {
  const before = find(sourceId)
  if (!before) return
  const known = before.facts?.hash === hash && (before.origin === 'demo' || before.hash === hash)
  if (known) return
  if (before.origin === 'file' && before.hash !== undefined && before.hash !== hash) {
    tell(new AppError('storage/changed', { name: before.name }))
    return
  }
  const next: Source['facts'] = {
    frames: facts.frames,
    sampleRate: decoded.sound.sampleRate,
    channels: decoded.sound.channelCount,
    container: decoded.container,
    ...(decoded.depth && { depth: decoded.depth }),
    peak: facts.peak,
    ...(decoded.picture && { picture: decoded.picture }),
    hash,
  }
  setState((state) => ({
    history: amend(state.history, (draft) => {
      const source = draft.sources.find((s) => s.id === sourceId)
      if (!source) return
      source.facts = next
      if (source.origin === 'file') source.hash = hash
    }),
  }))
  // what an older version kept by its source lies under its hash from now on
  const { access } = getState()
  if (before.origin === 'file' && before.hash === undefined && access.kind === 'writes')
    contents.adopt(sourceId, hash).catch(tell)
}

export function setLoad(id: string, load: State['loads'][string]) {
  setState((state) => ({ loads: { ...state.loads, [id]: load } }))
}
