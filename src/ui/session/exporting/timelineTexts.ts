import { cueSheet } from '../../../session/cueSheet'
import { sessionTempo, tempoJson, tempoMidi } from '../../../session/tempoFile'
import { saveFile } from '../../common/saveFile'
import { store } from '../state/store'
import { timelineOf } from '../timeline/mixing'

/** What of the timeline is no sound: its tempo line for other programs, and what is played when, to be printed. */
export function saveTimelineText(what: 'midi' | 'json' | 'cues') {
  const state = store.getState()
  const { present: session } = state.history
  if (what === 'cues') {
    const text = cueSheet(session, timelineOf(state).laid, 'The timeline')
    saveFile(new Blob([text], { type: 'text/html' }), 'cue-sheet.html')
    return
  }
  const tempo = sessionTempo(session)
  if (what === 'midi') saveFile(new Blob([tempoMidi(tempo)], { type: 'audio/midi' }), 'tempo.mid')
  else saveFile(new Blob([tempoJson(tempo)], { type: 'application/json' }), 'tempo.json')
}
