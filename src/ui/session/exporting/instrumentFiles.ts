import { containers, fileBase } from '../../../core'
import { type ExportSettings, KEYS_ID } from '../../../session'
import { type InstrumentFile, instrumentText, sampleName } from '../../../session/instrumentText'
import { knowSizes } from '../files/knowSizes'
import { instrumentsOf } from '../play/instruments'
import { notify, tell } from '../state/notices'
import { store } from '../state/store'
import { keyNotes, padNotes, type SampledNote } from './instruments'
import type { Item } from './items'
import { zipPlace } from './places'
import { enqueue } from './queue'

/** Pads, or what lies over the keys, as one zip: a sample for each zone, and the text by which samplers play them. */

export async function exportInstrument(what: 'pads' | 'keys') {
  const { picks, keys } = store.getState().history.present
  try {
    await knowSizes(what === 'pads' ? picks.map(({ source }) => source) : keys ? [keys.source] : [])
  } catch (error) {
    tell(error)
    return
  }
  const made = what === 'pads' ? ofPads() : ofKeys()
  if (!made || made.notes.length === 0) {
    notify({ tone: 'plain', text: 'There is nothing to be played yet: mark a pick, or lay a sound over the keys.' })
    return
  }
  const { notes, name, play, attackMs, releaseMs } = made
  const { settings } = store.getState().outlook.exporting
  const { ending, exact } = containers[settings.container]
  // samplers read plain samples; what is louder than another stays so
  const kept: ExportSettings = {
    ...settings,
    container: exact ? settings.container : 'wav',
    level: 'as-is',
    length: 'exact',
    tailSeconds: 0,
    recipe: false,
  }
  const base = fileBase(name)
  const files = notes.map((note) => {
    const own =
      what === 'pads'
        ? `${base}_${sampleName(note.zone.key)}_${fileBase(note.take.name)}`
        : `${base}_${sampleName(note.zone.key)}`
    return { note, file: `samples/${own}.${exact ? ending : 'wav'}` }
  })
  const times = (rate: number) => (kept.rate === 'source' ? 1 : kept.rate / rate)
  const zones = files.map(({ note: { zone, take }, file }) => ({
    ...zone,
    file,
    ...(zone.loop && {
      loop: {
        start: Math.round(zone.loop.start * times(take.rate)),
        end: Math.round(zone.loop.end * times(take.rate)),
      },
    }),
  }))
  const text = instrumentText({ name, zones, play, attackMs, releaseMs })
  const zip = zipPlace(files.length + 1, `${base}.zip`)
  if (zip.kind !== 'zip') return
  zip.add([{ name: `${base}.sfz`, blob: new Blob([text], { type: 'text/plain' }) }]).catch(tell)
  enqueue(
    files.map(({ note, file }) => ({ item: itemOf(note), name: file })),
    kept,
    zip,
  )
}

const itemOf = ({ take }: SampledNote): Item => ({
  key: `note ${take.id}`,
  label: take.name,
  fields: { source: take.name },
  content: { kind: 'take', take },
})

type Made = Pick<InstrumentFile, 'name' | 'play' | 'attackMs' | 'releaseMs'> & {
  readonly notes: readonly SampledNote[]
}

function ofPads(): Made {
  const { present: session } = store.getState().history
  // each sample has its own beginning and end in it
  return { notes: padNotes(session), name: 'Pads', play: 'through', attackMs: 0, releaseMs: 60 }
}

function ofKeys(): Made | undefined {
  const state = store.getState()
  const { present: session } = state.history
  const found = instrumentsOf(state, session, session.keys).find(({ order }) => order.id === KEYS_ID)
  if (!found) return undefined
  const { order, source } = found
  const { play, releaseMs } = order
  // the sample itself begins as softly as it was set to
  return { notes: keyNotes(session, source, order), name: source.name, play, attackMs: 0, releaseMs }
}
