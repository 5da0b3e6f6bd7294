import { readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { finish, know, readWav } from '../core'
import { firstFilm } from '../session'
import { filmSound } from './demoFilm'

/** Finds out what there is to know of the demo sounds in the folder given, and writes known.json beside them. */
const folder = process.argv[2]
if (!folder) throw new Error('demoKnown: give a folder')
const known: Record<string, unknown> = {}
for (const file of (await readdir(folder)).filter((name) => name.endsWith('.wav')).sort()) {
  const { audio } = readWav(await readFile(join(folder, file)), file)
  known[file] = finish(know(audio, { file }))
}
const film = await filmSound(await readFile(join(folder, firstFilm.file)))
known[firstFilm.file] = finish(know(film.audio, { file: firstFilm.file }))
await writeFile(join(folder, 'known.json'), JSON.stringify(known))
