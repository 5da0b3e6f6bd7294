// Reads thousands of broken sound files of every kind; says what became of them, and ends with 1 if one hangs or is
// refused without words. `npm run fuzz -- 500` tries fewer.
import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { bundled, root } from './bundle.mjs'
import { needNode, needPackages } from './setup.mjs'

needNode()
needPackages()
const [count = '10000', ...rest] = process.argv.slice(2)
const file = await bundled('src/cli/fuzz/entry.ts', ['src/cli/fuzz', 'src/core', 'src/host'])
const { status } = spawnSync(process.execPath, [file, count, join(root, 'e2e', 'fixtures'), ...rest], {
  stdio: 'inherit',
})
process.exitCode = status ?? 1
