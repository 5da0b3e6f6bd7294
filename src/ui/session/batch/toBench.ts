import { type BatchFile, freeLetter, MAX_VARIANTS, newVariant } from '../../../session'
import { setTarget } from '../acts'
import { placeVariant } from '../edits'
import { takeIn } from '../files/gather'
import { hearLane } from '../hear/listening'
import { setOutlook } from '../state/outlook'
import { store } from '../state/store'

/** Take a file of a batch onto the Bench, with what the batch did to it, to be mended there. */
export async function takeToBench(file: BatchFile) {
  const id = await takeIn([file.id])
  const source = store.getState().history.present.sources.find((one) => one.id === id)
  if (!source) return
  const mark = `batch-${file.id}`
  setTarget(source.id, { stretch: file.stretch, pitchSemitones: file.semitones, tied: false }, mark)
  const method = file.row?.method ?? file.method
  const now = store.getState().history.present.sources.find((one) => one.id === id)
  if (now && method !== undefined) {
    const at = now.variants.findIndex((variant) => variant.methodId === method && !variant.joins)
    if (at >= 0) hearLane(at + 1)
    else if (now.variants.length < MAX_VARIANTS) {
      const variant = newVariant(crypto.randomUUID(), freeLetter(now.variants), method)
      const placed = placeVariant(now, variant, 'Take the method of the batch', mark)
      if (placed !== undefined) hearLane(placed + 1)
    }
  }
  setOutlook({ view: 'bench' })
}
