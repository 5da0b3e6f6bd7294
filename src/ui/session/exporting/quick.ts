import { type ExportSettings, FIRST_EXPORT, type Source, stemsOf, type Take, type Variant } from '../../../session'
import { heardSound } from '../hear/listening'
import { takeFileName } from '../play/takes'
import { fileNameOf } from '../render/fileNames'
import { notify } from '../state/notices'
import { chosenVariant, type QueuedFile, type State, selectedSource, store } from '../state/store'
import { timelineOf } from '../timeline/mixing'
import { isOfTakes, isOfTimeline, itemGroups, rowKey, takeKey, variantKey } from './items'
import { cancelQueued, enqueue, settled } from './queue'

/** What one key or button takes away, where it is heard: plain WAV files, by way of the one queue. */

const { getState } = store

const PLAIN: ExportSettings = { ...FIRST_EXPORT, container: 'wav', tags: false }

/** As deep as the source and at its rate, unless the outlook says another; a mix has 24 bits where it says nothing. */
const chosenSettings = ({ outlook }: State): ExportSettings => ({
  ...PLAIN,
  depth: outlook.format,
  rate: outlook.rate === 'source' ? 'source' : Number(outlook.rate),
})

const isAhead = ({ status }: QueuedFile) => status === 'waiting' || status === 'running'

/** The file that is waiting, or being made, of one of the things with such a key. */
export const aheadOf = (queue: readonly QueuedFile[], isOf: (key: string) => boolean): QueuedFile | undefined =>
  queue.find((file) => isAhead(file) && isOf(file.key))

function cancelAhead(isOf: (key: string) => boolean) {
  for (const { id } of getState().queue.filter((file) => isAhead(file) && isOf(file.key))) cancelQueued(id)
}

/**
 * Put into the queue what has these keys, under these names, unless it is there already; ends when the last of them is
 * made, or was given up.
 */
async function exportNow(wanted: readonly { readonly key: string; readonly name: string }[], settings: ExportSettings) {
  const state = getState()
  const items = new Map(itemGroups(state).flatMap((group) => group.items.map((item) => [item.key, item])))
  const files = wanted.flatMap(({ key, name }) => {
    const item = items.get(key)
    return item && !aheadOf(state.queue, (ahead) => ahead === key) ? [{ item, name }] : []
  })
  await Promise.all(enqueue(files, settings, { kind: 'downloads' }, { isTold: true }).map(settled))
}

/** Variants as WAV files of the chosen depth and rate. */
async function exportVariants(source: Source, variants: readonly Variant[]) {
  if (!heardSound(source)) return
  const wanted = variants.map((variant) => ({ key: variantKey(source, variant), name: fileNameOf(source, variant) }))
  await exportNow(wanted, chosenSettings(getState()))
}

export const exportVariant = (source: Source, variant: Variant) => exportVariants(source, [variant])

/** Every lane of a source as a file of its own. */
export const exportAll = (source: Source) => exportVariants(source, source.variants)

/** What is heard, as a file; nothing while that is the source itself. */
export function exportHeard() {
  const state = getState()
  const source = selectedSource(state)
  const variant = source && chosenVariant(state, source)
  if (source && variant && !state.blind) void exportVariant(source, variant)
}

export const cancelExport = (source: Source, variant: Variant) =>
  cancelAhead((key) => key === variantKey(source, variant))

/** The mix, the rows that are heard, or the click. */
export async function exportMix(what: 'mix' | 'rows' | 'click') {
  const state = getState()
  if (timelineOf(state).laid.frames < 1) {
    notify({ tone: 'plain', text: 'Nothing lies on the timeline yet' })
    return
  }
  const { present: session } = state.history
  const wanted =
    what === 'rows'
      ? stemsOf(session).map(({ row, file }) => ({ key: rowKey(session.rows[row]?.id), name: file }))
      : [{ key: what, name: `${what}.wav` }]
  await exportNow(wanted, chosenSettings(state))
}

export const cancelMixExport = () => cancelAhead(isOfTimeline)

/** A take as a file of 32-bit float: sample for sample what was heard. */
export const exportTake = (take: Take) =>
  exportNow([{ key: takeKey(take), name: takeFileName(take) }], { ...PLAIN, depth: '32f' })

export const cancelTakeExports = () => cancelAhead(isOfTakes)
