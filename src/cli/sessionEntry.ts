import { batch } from './batch'
import { tellGroove } from './groove'
import { imprintSound } from './imprint'
import { writeInstrument } from './instrument'
import { main } from './main'
import { mixSession } from './mix'
import { writePicks } from './picks'
import { playNotes } from './play'
import { services } from './services'
import { readSessionFile } from './session'
import { isWork, work } from './supervise'
import { writeTempo } from './tempo'
import { serve } from './threads'
import { watchFile } from './watch'

// this is loaded by the command's other threads as well
const sessions = {
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
if (isWork()) await work((words, terminal) => main(words, terminal, sessions))
else serve(services)
