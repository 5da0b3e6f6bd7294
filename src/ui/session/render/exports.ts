import { type Analysis, type ExportOrder, exportFacts, resultName, wavRate } from '../../../core'
import { clearScratch, type Sound, scratchFolder } from '../../../engine'
import { depthOf, type Outlook, recipeOf, type Source, type Variant } from '../../../session'
import { saveFile } from '../../common/saveFile'
import { heardSound } from '../hear/listening'
import { analysisOf } from '../know/analyses'
import { pool } from '../state/engine'
import { notify, tell } from '../state/notices'
import { chosenVariant, selectedSource, store } from '../state/store'
import { makePieces } from './pieces'

const { getState, setState } = store
const exportJobs = new Map<string, AbortController>()

/** What a file is to be, as the outlook says it: as deep as the source, and at its rate, unless others are chosen. */
const formatOf = ({ format, rate }: Outlook, source: Source) => ({
  format: depthOf(format, source.facts),
  rate: rate === 'source' ? undefined : Number(rate),
})

/** What a variant's file is called: with its letter where another one of the source would be called the same. */
export function fileNameOf(source: Source, variant: Variant): string {
  const nameOf = (of: Variant) => resultName(source.name, recipeOf(source, of))
  const name = nameOf(variant)
  const isShared = source.variants.some((other) => other.id !== variant.id && nameOf(other) === name)
  return isShared ? name.replace(/\.wav$/, `_${variant.letter}.wav`) : name
}

/** Render a variant into a WAV file of the chosen depth and rate, and hand it to the browser's downloads. */
export async function exportVariant(source: Source, variant: Variant) {
  const sound = heardSound(source)
  if (!sound || exportJobs.has(variant.id)) return
  const recipe = recipeOf(source, variant)
  const name = fileNameOf(source, variant)
  const stop = new AbortController()
  exportJobs.set(variant.id, stop)
  const show = (progress: number) =>
    setState((state) => ({ exports: { ...state.exports, [variant.id]: { name, progress } } }))
  show(0)
  try {
    const { decoded } = sound
    const analysis = await analysisOf(source, decoded.sound, recipe)
    const sourceBits = decoded.depth?.float ? undefined : decoded.depth?.bits
    const chosen = formatOf(getState().outlook, source)
    const order = { recipe, ...chosen, markers: decoded.markers, sourceBits }
    const { blob, facts } = await renderFile(decoded.sound, order, analysis, stop.signal, show)
    saveFile(blob, name)
    const sampleRate = chosen.rate ?? decoded.sound.sampleRate
    notify({ tone: 'plain', text: `${name} exported, ${(facts.frames / sampleRate).toFixed(3)} s` })
    if (wavRate(sampleRate) !== sampleRate)
      notify({
        tone: 'plain',
        text: `A WAV file holds whole rates: ${sampleRate} Hz is written as ${wavRate(sampleRate)} Hz.`,
      })
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

/** Every lane of a source as a file of its own. */
export function exportAll(source: Source) {
  for (const variant of source.variants) void exportVariant(source, variant)
}

/** What is heard, as a file; nothing while that is the source itself. */
export function exportHeard() {
  const state = getState()
  const source = selectedSource(state)
  const variant = source && chosenVariant(state, source)
  if (source && variant && !state.blind) void exportVariant(source, variant)
}

/** larger files are put together on the browser's disk */
const MOST_BYTES_IN_MEMORY = 2 ** 26

/** Render a file in its pieces, several at once; it is the same however many. */
export async function renderFile(
  sound: Sound,
  order: ExportOrder,
  analysis: Analysis,
  signal: AbortSignal,
  show: (progress: number) => void,
) {
  const plan = await pool.run<'planExport'>({ kind: 'planExport', sound, order, analysis }, { signal, rank: 0 })
  const { pieces } = plan
  const folder = plan.bytes > MOST_BYTES_IN_MEMORY ? scratchFolder() : undefined
  const made = await makePieces(
    pieces,
    (_, piece, onProgress) =>
      pool.run<'exportPiece'>(
        { kind: 'exportPiece', sound, order, plan: { analysis: plan.analysis, pieces }, piece, folder },
        { signal, rank: 0, onProgress: ({ doneFrames }) => onProgress(doneFrames) },
      ),
    show,
  ).catch(async (error) => {
    if (folder !== undefined) await clearScratch(folder)
    throw error
  })
  const parts = made.map(({ blob }) => blob)
  return {
    blob: new Blob([plan.header, ...parts, plan.footer], { type: 'audio/wav' }),
    facts: exportFacts(
      plan,
      made.map((one) => one.facts),
    ),
  }
}

export function cancelExport(variantId: string) {
  exportJobs.get(variantId)?.abort()
}
