// Makes the demo sounds of The Tide Clock into public/demo, unless those there are of this very generator.
import { execFileSync } from 'node:child_process'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { bundled, hashOf, root } from './bundle.mjs'

const folder = join(root, 'public', 'demo')
const stamp = join(folder, '.made-from')

export async function makeDemo() {
  const sources = ['src/core/demo', 'src/core/dsp', 'src/core/audio', 'src/cli/demo.ts']
  const wanted = hashOf(sources, (path) => !path.endsWith('.test.ts'))
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return false
  execFileSync(process.execPath, [await bundled('src/cli/demo.ts', ['src/cli/demo.ts', 'src/core']), folder], {
    stdio: 'inherit',
  })
  writeFileSync(stamp, wanted)
  return true
}
