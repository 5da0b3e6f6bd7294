import { type AudioBlock, writeWav } from '../../../core'
import { createRandom } from '../../../core/dsp/random'
import type { FilterIntent } from '../../../session'
import { edit } from '../edits'
import { bringIn } from '../files/arrivals'
import { store } from '../state/store'

const SECONDS = 10
const RATE = 48_000
const PEAK = 0.25

/** White noise as a source of its own, with a filter on it: what the filter does is heard alone. */
export async function noiseToShelf(filter: FilterIntent | undefined) {
  const random = createRandom(20)
  const channels = [0, 1].map(() => Float32Array.from({ length: SECONDS * RATE }, () => PEAK * (2 * random() - 1)))
  const audio: AudioBlock = { sampleRate: RATE, channels }
  const before = new Set(store.getState().history.present.sources.map(({ id }) => id))
  const bytes = writeWav(audio, { format: '24' }) as Uint8Array<ArrayBuffer>
  await bringIn([new File([bytes], 'Noise.wav', { type: 'audio/wav' })])
  const made = store.getState().history.present.sources.find(({ id }) => !before.has(id))
  if (made && filter)
    edit('filter the noise', (session) => {
      const source = session.sources.find(({ id }) => id === made.id)
      if (source) source.filter = filter
    })
}
