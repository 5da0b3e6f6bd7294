import { main } from './main'
import { readSessionFile } from './session'
import { work } from './supervise'

await work((words, terminal) => main(words, terminal, { session: readSessionFile }))
