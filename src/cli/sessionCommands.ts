import { batch } from './batch'
import { tellGroove } from './groove'
import { imprintSound } from './imprint'
import { writeInstrument } from './instrument'
import { mixSession } from './mix'
import { writePicks } from './picks'
import { playNotes } from './play'
import { readSessionFile } from './session'
import { writeTempo } from './tempo'
import { watchFile } from './watch'

/** Commands that read sessions, or write MIDI files: loaded where one of them is asked for. */
export const sessionCommands = {
  session: readSessionFile,
  mix: mixSession,
  tempo: writeTempo,
  groove: tellGroove,
  batch,
  play: playNotes,
  picks: writePicks,
  imprint: imprintSound,
  instrument: writeInstrument,
  watch: watchFile,
}
