import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { writeWav } from '../core'
import { demoMakers } from '../core/demo/sounds'

/** Writes the demo sounds as 24-bit WAV files, with truth.json beside them, into the folder given. */
const folder = process.argv[2]
if (!folder) throw new Error('demo: give a folder')
await mkdir(folder, { recursive: true })
const truths = []
for (const make of Object.values(demoMakers)) {
  const { audio, truth } = make()
  await writeFile(join(folder, truth.file), writeWav(audio, { format: '24' }))
  truths.push(truth)
}
await writeFile(
  join(folder, 'truth.json'),
  `${JSON.stringify({ about: 'The Tide Clock: what is true of each sound, by construction', sounds: truths }, null, 1)}\n`,
)
