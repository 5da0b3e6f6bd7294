import { resultName, type SampleFormat } from '../../core'
import { saveFile } from '../common/saveFile'
import { analysisOf } from './analyses'
import { pool } from './engine'
import { heardSound } from './listening'
import { recipeOf, type Source, type Variant } from './model'
import { notify, tell } from './notices'
import { store } from './store'

const { setState } = store
const exportJobs = new Map<string, AbortController>()

/** Render a variant into a WAV file and hand it to the browser's downloads. */
export async function exportVariant(source: Source, variant: Variant, format: SampleFormat) {
  const sound = heardSound(source)
  if (!sound || exportJobs.has(variant.id)) return
  const recipe = recipeOf(source, variant)
  const name = resultName(source.name, recipe)
  const stop = new AbortController()
  exportJobs.set(variant.id, stop)
  const show = (progress: number) =>
    setState((state) => ({ exports: { ...state.exports, [variant.id]: { name, progress } } }))
  show(0)
  try {
    const { decoded } = sound
    const analysis = await analysisOf(source, decoded.audio, recipe)
    const sourceBits = decoded.depth?.float ? undefined : decoded.depth?.bits
    const { blob, facts } = await pool.run<'export'>(
      {
        kind: 'export',
        audio: decoded.audio,
        order: { recipe, format, markers: decoded.markers, sourceBits },
        analysis,
      },
      { signal: stop.signal, rank: 0, onProgress: ({ doneFrames, totalFrames }) => show(doneFrames / totalFrames) },
    )
    saveFile(blob, name)
    notify({ tone: 'plain', text: `${name} exported, ${(facts.frames / decoded.audio.sampleRate).toFixed(3)} s` })
    if (facts.clippedSamples > 0) {
      notify({
        tone: 'trouble',
        text: `${facts.clippedSamples} samples of ${name} were over full scale and were limited. 32-bit float keeps them.`,
      })
    }
  } catch (error) {
    if (!stop.signal.aborted) tell(error)
  } finally {
    exportJobs.delete(variant.id)
    setState((state) => ({
      exports: Object.fromEntries(Object.entries(state.exports).filter(([id]) => id !== variant.id)),
    }))
  }
}

export function cancelExport(variantId: string) {
  exportJobs.get(variantId)?.abort()
}
