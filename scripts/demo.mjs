// Makes the demo sounds of The Tide Clock into public/demo, and what is known and was measured of them, unless those there are of this very
// code. A first visit then shows all of it at once.
import { execFileSync } from 'node:child_process'
import { copyFileSync, existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { bundled, hashOf, root } from './bundle.mjs'

const folder = join(root, 'public', 'demo')
/** made by scripts/film.mjs, which needs a browser */
const FILM = 'wall-clock.webm'
const sounds = ['src/core/demo', 'src/core/dsp', 'src/core/audio', 'src/cli/demo.ts']
const film = ['src/host/decodeFile.ts', 'src/cli/demoFilm.ts']
const trials = ['src/core', 'src/session', ...film, 'src/cli/demoTrials.ts']
const knowledge = [...sounds, 'src/core/analysis', 'src/core/knowledge', ...film, 'src/cli/demoKnown.ts']

export async function makeDemo() {
  const made = await make('src/cli/demo.ts', sounds, '.made-from')
  if (made) copyFileSync(join(root, 'src', 'core', 'demo', FILM), join(folder, FILM))
  const isKnown = await make('src/cli/demoKnown.ts', knowledge, '.known-from')
  return (await make('src/cli/demoTrials.ts', trials, '.tried-from')) || isKnown || made
}

async function make(script, sources, mark) {
  const stamp = join(folder, mark)
  const wanted = hashOf(sources, (path) => !path.endsWith('.test.ts'))
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return false
  execFileSync(process.execPath, [await bundled(script, ['src/cli', 'src/core', 'src/host', 'src/session']), folder], {
    stdio: 'inherit',
  })
  writeFileSync(stamp, wanted)
  return true
}
