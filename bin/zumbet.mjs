#!/usr/bin/env node
import { pathToFileURL } from 'node:url'

let front
let work
try {
  const { bundled } = await import('../scripts/bundle.mjs')
  const sources = ['src/cli', 'src/core', 'src/host', 'src/session']
  front = pathToFileURL(await bundled('src/cli/front.ts', sources))
  // what reads sessions, or writes MIDI files, is loaded where it is asked for: the others would take twice as long
  const entry = [
    'session',
    'mix',
    'tempo',
    'groove',
    'play',
    'imprint',
    'picks',
    'batch',
    'instrument',
    'watch',
  ].includes(process.argv[2])
    ? 'src/cli/sessionEntry.ts'
    : 'src/cli/entry.ts'
  work = pathToFileURL(await bundled(entry, [...sources, 'package.json']))
} catch (error) {
  const missing = error?.code === 'ERR_MODULE_NOT_FOUND'
  process.stderr.write(
    missing
      ? 'zumbet: its packages are not installed. Run npm ci (or npm start) in its folder first.\n'
      : `zumbet: the command could not be built: ${error?.message ?? error}\n`,
  )
  process.exit(1)
}
const { supervise } = await import(front.href)
process.exitCode = await supervise(work, process.argv.slice(2))
