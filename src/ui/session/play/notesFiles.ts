import { readNotes } from '../../../session/notesFile'
import { edit } from '../edits'
import { bringIn } from '../files/arrivals'
import { notify, tell } from '../state/notices'
import { setOutlook } from '../state/outlook'
import { store } from '../state/store'

/** Files of notes come in as takes; all others as sources. */

const RATE = 48_000
const isNotes = (file: File) => /\.midi?$/i.test(file.name)

/** Bring files in, whatever they hold. */
export async function bringAll(files: readonly File[]): Promise<readonly File[]> {
  for (const file of files.filter(isNotes)) await bringInNotes(file)
  return bringIn(files.filter((file) => !isNotes(file)))
}

async function bringInNotes(file: File) {
  try {
    const notes = readNotes(new Uint8Array(await file.arrayBuffer()), file.name)
    const { keys } = store.getState().history.present
    const name = file.name.replace(/\.[^.]*$/, '')
    edit('bring in notes', (session) => {
      session.takes.push({
        id: crypto.randomUUID(),
        name,
        rate: RATE,
        length: Math.ceil(notes.reduce((most, { offSeconds }) => Math.max(most, offSeconds), 0) * RATE),
        ...(keys && { keys: { ...keys } }),
        notes: notes.map(({ onSeconds, offSeconds, key, velocity }) => ({
          key,
          velocity,
          on: Math.round(onSeconds * RATE),
          off: Math.round(offSeconds * RATE),
        })),
        hands: [],
      })
    })
    setOutlook({ view: 'play', playPanel: 'takes' })
    notify({
      tone: 'plain',
      text: `${name}: ${notes.length} notes, a take in Play. ${keys ? 'The keys play it.' : 'A plain tone plays it until something lies over the keys.'}`,
    })
  } catch (error) {
    tell(error)
  }
}
