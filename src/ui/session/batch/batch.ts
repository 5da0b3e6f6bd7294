import { AppError, keyName, type SoundTags } from '../../../core'
import { scratchFolder } from '../../../engine'
import { errorText } from '../../../host/errorText'
import { breathe } from '../../../host/runTask'
import {
  type BatchFile,
  type BatchRow,
  type BatchRun,
  readBatchFile,
  readBatchRun,
  resultNames,
  summaryOf,
} from '../../../session'
import { saveFile } from '../../common/saveFile'
import { type Folder, folderNow, freeName, mayWrite, pickFolder, writeInto, zipPlace } from '../exporting/places'
import { bytesOf, nameOf } from '../files/gather'
import { mayChange } from '../state/access'
import { batchRows, pool } from '../state/engine'
import { notify, tell } from '../state/notices'
import { type BatchState, store } from '../state/store'
import { batchRecipe, plannedFiles } from './plans'

/**
 * Listed files brought to one target, in the background. Whatever is finished is written down with what was made, so
 * that a batch goes on after a reload where it was.
 */

const { getState, setState } = store
/** as many as there are workers on a small machine */
const AT_ONCE = 2
/** share of a file by which its bar grows at a time: what is drawn again and again holds the page up */
const LEAST_SHOWN = 0.1
const RANK = 4
/** larger results are made on the browser's disk */
const MOST_IN_MEMORY = 2 ** 26

let stop = new AbortController()
let making = 0
/** where storage is full or shut, results live as long as the window */
const unkept = new Map<string, Blob>()

const change = (next: (batch: BatchState) => Partial<BatchState>) =>
  setState(({ batch }) => (batch ? { batch: { ...batch, ...next(batch) } } : {}))

const changeFile = (id: string, next: Partial<BatchFile>) =>
  change(({ files }) => ({ files: files.map((file) => (file.id === id ? { ...file, ...next } : file)) }))

const isOpen = ({ row }: BatchFile) => row === undefined

/** Begin a batch of all that is planned and not left out. */
export async function beginBatch() {
  if (!mayChange()) return
  const { found, outlook } = getState()
  const { batch: settings, exporting } = outlook
  // neither thousands of files planned nor as many rows drawn are one task with the press
  await breathe()
  const planned = plannedFiles(found, settings).filter(({ plan, own }) => plan && !own.left)
  if (planned.length === 0) return
  if (settings.to === 'folder' && !(await folderNow().catch(tell))) return
  const names = resultNames(
    planned.map(({ file }) => file.path),
    exporting.settings.container,
  )
  const files = planned.map(({ file, plan, advised }, order): BatchFile => {
    const { stretch = 1, semitones = 0, methodId, reading, doubts = [] } = plan ?? {}
    return {
      id: file.id,
      order,
      path: file.path,
      output: names[order] as string,
      stretch,
      semitones,
      ...(!advised && { method: methodId ?? 'wsola' }),
      ...(reading !== undefined && { reading }),
      doubts: [...doubts],
    }
  })
  const { measure, to, aim, bpm } = settings
  const run: BatchRun = { settings: exporting.settings, measure, to, paused: false, ...(aim === 'bpm' && { bpm }) }
  await breathe()
  if (getState().batch) return
  unkept.clear()
  stop = new AbortController()
  setState({ batch: { run, files, making: {} } })
  await batchRows.begin(run, files).catch(tell)
  goOn()
}

/** The batch as it was left; it goes on if it was not resting. */
export async function openBatch() {
  const { run: rawRun, files: rawFiles } = await batchRows.all()
  const run = readBatchRun(rawRun)
  if (!run || getState().batch) return
  const files = rawFiles.map(readBatchFile).filter((file) => file !== undefined)
  setState({ batch: { run, files: files.sort((a, b) => a.order - b.order), making: {} } })
  goOn()
}

/** Let it rest, or go on. What is being made when it is told to rest is made again later. */
export function pauseBatch(paused: boolean) {
  if (!mayChange()) return
  change(({ run }) => ({ run: { ...run, paused } }))
  const { batch } = getState()
  if (!batch) return
  void batchRows.putRun(batch.run).catch(tell)
  if (paused) {
    stop.abort()
    stop = new AbortController()
    change(() => ({ making: {} }))
  } else goOn()
}

function goOn() {
  for (;;) {
    const { batch } = getState()
    if (!batch || batch.run.paused || making >= AT_ONCE) return
    const next = batch.files.find((file) => isOpen(file) && batch.making[file.id] === undefined)
    if (!next) return
    const { signal } = stop
    making++
    change(({ making }) => ({ making: { ...making, [next.id]: 0 } }))
    void make(batch.run, next, signal).finally(() => {
      making--
      if (!signal.aborted) change(({ making: { [next.id]: _, ...others } }) => ({ making: others }))
      const after = getState().batch
      const isDone = after?.files.every((file) => !isOpen(file))
      // the last but one may still be on its way into its folder
      if (!isDone) goOn()
      else if (after && !signal.aborted && making === 0) void ended(after)
    })
  }
}

const doubtsOf = ({ doubts }: BatchFile, clipped: number) => [
  ...doubts,
  ...(clipped > 0 ? [`${clipped} samples were over full scale and were limited`] : []),
]

async function make(run: BatchRun, file: BatchFile, signal: AbortSignal) {
  const listed = getState().found.find(({ id }) => id === file.id)
  const about = { file: file.path, output: file.output }
  let shown = 0
  try {
    const blob = await bytesOf(file.id)
    const facts = listed?.facts
    if (!blob || !facts) throw new AppError('storage/lost', { name: nameOf(file.path) })
    const { tempo, pitch, material, attacks } = facts.knowledge
    const seconds = facts.frames / facts.sampleRate
    const { blob: made, ...came } = await pool.run<'batchFile'>(
      {
        kind: 'batchFile',
        blob,
        file: nameOf(file.path),
        advised: file.method === undefined,
        recipe: batchRecipe({ ...file, methodId: file.method }),
        attacks,
        loudness: facts.loudness,
        settings: run.settings,
        tags: tagsOf(file, run),
        measure: run.measure,
        folder:
          seconds * file.stretch * facts.sampleRate * facts.channels * 4 > MOST_IN_MEMORY ? scratchFolder() : undefined,
      },
      {
        signal,
        rank: RANK,
        onProgress: ({ doneFrames, totalFrames }) => {
          const share = doneFrames / totalFrames
          if (share - shown < LEAST_SHOWN) return
          shown = share
          change(({ making }) => (making[file.id] === undefined ? {} : { making: { ...making, [file.id]: share } }))
        },
      },
    )
    signal.throwIfAborted()
    const row: BatchRow = {
      ...about,
      status: 'done',
      material: material.kind,
      ...(tempo.bpm !== undefined && { bpm: Number(tempo.bpm.toFixed(2)) }),
      ...(keyName(pitch) !== undefined && { key: keyName(pitch) as string }),
      stretch: Number(file.stretch.toFixed(6)),
      semitones: file.semitones,
      method: came.methodId,
      ...(file.reading !== undefined && { reading: file.reading }),
      doubts: doubtsOf(file, came.clippedSamples),
      sourceSeconds: seconds,
      seconds: came.frames / came.rate,
      rate: came.rate,
      bytes: made.size,
      peak: came.peak,
      clippedSamples: came.clippedSamples,
      ...(came.lufs !== undefined && { lufs: came.lufs }),
      ...(came.harm && { harm: came.harm }),
    }
    await keep({ ...file, row }, made)
  } catch (error) {
    if (signal.aborted) return
    await keep({ ...file, row: { ...about, status: 'failed', error: errorText(error), doubts: [] } })
    return
  }
  // what a folder does not take is made all the same, and can be saved later
  try {
    if (run.to === 'folder') await put(file.id, await folderIfOpen())
  } catch (error) {
    tell(error)
  }
}

const tagsOf = ({ path }: BatchFile, { bpm }: BatchRun): SoundTags => ({
  title: nameOf(path).replace(/\.[^.]+$/, ''),
  date: new Date().toISOString().slice(0, 10),
  ...(bpm !== undefined && { bpm }),
})

/** Write down what came of a file. */
async function keep(file: BatchFile, made?: Blob) {
  try {
    await batchRows.putFile(file, made)
  } catch (error) {
    if (made) unkept.set(file.id, made)
    tell(error)
  }
  changeFile(file.id, file)
}

/** What was made of a file, as long as the batch is not put away. */
export const madeOf = async (id: string): Promise<Blob | undefined> => unkept.get(id) ?? (await batchRows.made(id))

/** The folder that files go to, where it may be written to without asking. */
async function folderIfOpen(): Promise<Folder | undefined> {
  const folder = await folderNow({ ask: false })
  return folder && (await mayWrite(folder, { ask: false })) === 'granted' ? folder : undefined
}

/** Put what was made of a file into a folder, under a name that is free there. */
async function put(id: string, folder: Folder | undefined) {
  const file = getState().batch?.files.find((one) => one.id === id)
  if (!folder || !file?.row || file.row.status !== 'done' || file.saved !== undefined) return
  const blob = await madeOf(id)
  if (!blob) return
  const name = await freeName(folder, file.output)
  await writeInto(folder, { name, blob })
  const next = { ...file, output: name, saved: folder.name, row: { ...file.row, output: name } }
  await keep(next)
}

const unsaved = ({ files }: BatchState) =>
  files.filter(({ row, saved }) => row?.status === 'done' && saved === undefined)

/** Put all that was made and is nowhere yet into a folder: the one of before, or one that is asked for. */
export async function saveBatchToFolder({ another = false } = {}) {
  try {
    const folder = another ? await pickFolder() : await folderNow()
    const { batch } = getState()
    if (!folder || !batch) return
    for (const { id } of unsaved(batch)) await put(id, folder)
    await writeSummary(folder)
  } catch (error) {
    tell(error)
  }
}

/** All that was made, and the summary, as one zip. */
export async function saveBatchAsZip() {
  const { batch } = getState()
  if (!batch) return
  const done = batch.files.filter(({ row }) => row?.status === 'done')
  try {
    const zip = zipPlace(done.length + 1, 'zumbet-batch.zip')
    if (zip.kind !== 'zip') return
    for (const { id, output } of done) {
      const blob = await madeOf(id)
      if (blob) await zip.add([{ name: output, blob }])
      else await zip.leftOut()
    }
    await zip.add([{ name: 'summary.csv', blob: summaryBlob(batch) }])
    for (const file of done) if (file.saved === undefined) await keep({ ...file, saved: 'the zip' })
  } catch (error) {
    tell(error)
  }
}

const summaryBlob = ({ files }: BatchState) =>
  new Blob([summaryOf(files.flatMap(({ row }) => (row ? [row] : [])))], { type: 'text/csv' })

export function saveSummary() {
  const { batch } = getState()
  if (batch) saveFile(summaryBlob(batch), 'summary.csv')
}

async function writeSummary(folder: Folder) {
  const { batch } = getState()
  if (batch) await writeInto(folder, { name: await freeName(folder, 'summary.csv'), blob: summaryBlob(batch) })
}

/** The last file is made. */
async function ended(batch: BatchState) {
  const failed = batch.files.filter(({ row }) => row?.status === 'failed').length
  const made = batch.files.length - failed
  notify({
    tone: failed > 0 ? 'trouble' : 'plain',
    text: `The batch is done: ${made} ${made === 1 ? 'file' : 'files'} made${failed > 0 ? `, ${failed} failed` : ''}.`,
  })
  try {
    if (batch.run.to === 'zip') await saveBatchAsZip()
    else {
      const folder = await folderIfOpen()
      if (folder) await writeSummary(folder)
    }
  } catch (error) {
    tell(error)
  }
}

/** Make the failed ones once more. */
export function retryBatch() {
  const { batch } = getState()
  if (!batch || !mayChange()) return
  for (const { row: _, ...file } of batch.files.filter(({ row }) => row?.status === 'failed')) {
    change(({ files }) => ({ files: files.map((one) => (one.id === file.id ? file : one)) }))
    void batchRows.putFile(file).catch(tell)
  }
  pauseBatch(false)
}

/** Put the batch away, with what it made; files that were put somewhere stay there. */
export function putBatchAway() {
  if (!mayChange()) return
  stop.abort()
  stop = new AbortController()
  unkept.clear()
  setState({ batch: undefined })
  void batchRows.clear().catch(tell)
}

/** Files that were made and lie nowhere but here. */
export const unsavedCount = (batch: BatchState) => unsaved(batch).length
