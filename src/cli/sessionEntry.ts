import { main } from './main'
import { services } from './services'
import { sessionCommands } from './sessionCommands'
import { isWork, work } from './supervise'
import { serve } from './threads'

// this is loaded by the command's other threads as well
if (isWork()) await work((words, terminal) => main(words, terminal, sessionCommands))
else serve(services)
