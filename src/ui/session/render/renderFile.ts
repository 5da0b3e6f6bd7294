import { type Analysis, type ExportOrder, exportFacts } from '../../../core'
import { clearScratch, type Sound, scratchFolder } from '../../../engine'
import { pool } from '../state/engine'
import { makePieces } from './pieces'

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
