import { type ExportSettings, FIRST_EXPORT, type Source, stemsOf, type Take, type Variant } from '../../../session'
import { heardSound } from '../hear/listening'
import { takeFileName } from '../play/takes'
import { fileNameOf } from '../render/fileNames'
import { notify } from '../state/notices'
import { chosenVariant, type QueuedFile, type State, selectedSource, store } from '../state/store'
import { timelineOf } from '../timeline/mixing'
import { type Content, type Item, itemGroups } from './items'
import { cancelQueued, enqueue, settled } from './queue'

/** What one key or button takes away, where it is heard: plain WAV files, by way of the one queue. */

const { getState } = store

const PLAIN: ExportSettings = { ...FIRST_EXPORT, container: 'wav', tags: false }

/** As deep as the source and at its rate, unless the outlook says another. */
const chosenSettings = ({ outlook }: State): ExportSettings => ({
  ...PLAIN,
  depth: outlook.format,
  rate: outlook.rate === 'source' ? 'source' : Number(outlook.rate),
})

const isAhead = ({ status }: QueuedFile) => status === 'waiting' || status === 'running'

/** The file that is waiting, or being made, of one of the things with such a key. */
export const aheadOf = (queue: readonly QueuedFile[], isOf: (key: string) => boolean): QueuedFile | undefined =>
  queue.find((file) => isAhead(file) && isOf(file.key))

/** Put files into the queue that are not in it already; ends when the last of them is made, or was given up. */
async function exportNow(files: readonly { readonly item: Item; readonly name: string }[], settings: ExportSettings) {
  const { queue } = getState()
  const fresh = files.filter(({ item }) => !aheadOf(queue, (key) => key === item.key))
  const ids = enqueue(fresh, settings, { kind: 'downloads' }, { isTold: true })
  await Promise.all(ids.map(settled))
}

export const variantKey = (source: Source, variant: Variant) => `variant ${source.id} ${variant.id}`

const itemOf = (key: string): Item | undefined =>
  itemGroups(getState())
    .flatMap(({ items }) => items)
    .find((item) => item.key === key)

const variantFile = (source: Source, variant: Variant) => {
  const item = itemOf(variantKey(source, variant))
  return item ? [{ item, name: fileNameOf(source, variant) }] : []
}

/** A variant as a WAV file of the chosen depth and rate. */
export async function exportVariant(source: Source, variant: Variant) {
  if (!heardSound(source)) return
  await exportNow(variantFile(source, variant), chosenSettings(getState()))
}

/** Every lane of a source as a file of its own. */
export async function exportAll(source: Source) {
  if (!heardSound(source)) return
  await exportNow(
    source.variants.flatMap((variant) => variantFile(source, variant)),
    chosenSettings(getState()),
  )
}

/** What is heard, as a file; nothing while that is the source itself. */
export function exportHeard() {
  const state = getState()
  const source = selectedSource(state)
  const variant = source && chosenVariant(state, source)
  if (source && variant && !state.blind) void exportVariant(source, variant)
}

export function cancelExport(source: Source, variant: Variant) {
  cancelAhead((key) => key === variantKey(source, variant))
}

function cancelAhead(isOf: (key: string) => boolean) {
  for (const { id } of getState().queue.filter((file) => isAhead(file) && isOf(file.key))) cancelQueued(id)
}

/** whether a key is one of the timeline's own */
export const isOfTimeline = (key: string) => key === 'mix' || key === 'click' || key.startsWith('row ')

/** The mix, the rows that are heard, or the click, as deep as the outlook says; 24 bits where it says nothing. */
export async function exportMix(what: 'mix' | 'rows' | 'click') {
  const state = getState()
  if (timelineOf(state).laid.frames < 1) {
    notify({ tone: 'plain', text: 'Nothing lies on the timeline yet' })
    return
  }
  const { present: session } = state.history
  const wanted =
    what === 'rows'
      ? stemsOf(session).map(({ row, file }) => ({ key: `row ${session.rows[row]?.id}`, name: file }))
      : [{ key: what, name: `${what}.wav` }]
  const files = wanted.flatMap(({ key, name }) => {
    const item = itemOf(key)
    return item ? [{ item, name }] : []
  })
  await exportNow(files, chosenSettings(state))
}

export const cancelMixExport = () => cancelAhead(isOfTimeline)

const TAKE = 'take '
export const isOfTakes = (key: string) => key.startsWith(TAKE)
export const cancelTakeExports = () => cancelAhead(isOfTakes)

/** A take as a file of 32-bit float: sample for sample what was heard. */
export async function exportTake(take: Take) {
  const content: Content = { kind: 'take', take }
  const item: Item = { key: `${TAKE}${take.id}`, label: take.name, fields: { source: take.name }, content }
  await exportNow([{ item, name: takeFileName(take) }], { ...PLAIN, depth: '32f' })
}
